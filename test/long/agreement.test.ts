import { describe, expect, test } from '@jest/globals';
import addFormats from 'ajv-formats';
import { Ajv2020 } from 'ajv/dist/2020.js';
import fc from 'fast-check';
import { endpointsOf } from '../../src/core/api/endpoints.ts';
import { openApi } from '../../src/core/document/openapi.ts';
import { mayBeHidden } from '../../src/core/document/records.ts';
import { typeName } from '../../src/core/document/type-name.ts';
import { makeRoutes } from '../../src/core/http/routes.ts';
import type { Field } from '../../src/core/model/field.ts';
import type { Model } from '../../src/core/model/model.ts';
import { exampleValue } from '../../src/core/rules/examples.ts';
import { bodyReader, isSettable } from '../../src/core/rules/schema.ts';
import { readProject } from '../../src/project/project.ts';
import { demoFolder } from '../kit/program.ts';

const graph = readProject(demoFolder()).graph!;
const ajv = new Ajv2020({ strict: false });
(addFormats as unknown as (ajv: Ajv2020) => void)(ajv);
ajv.addSchema({ $id: 'document:/', ...openApi(graph) });

/** Values near the edges of the demo's rules, and far from them. */
const anyValue = fc.oneof(
  fc.constantFrom<unknown>(
    null,
    '',
    ' ',
    'abc',
    'Askdal',
    'staffed',
    'grey-hut',
    'Grey Hut',
    '2026-06-12',
    '2026-02-30',
    'a@huts.example',
    '+99 555 0142',
    0,
    1,
    -1,
    120,
    121,
    2400,
    2401,
    0.5,
    '29.50',
    '29.505',
    500,
    '500.01',
    true,
    false,
    [],
    {},
    '019b76da-a800-7000-8000-000000000000',
  ),
  fc.string(),
  fc.double({ noNaN: true }),
);

/** A body that a model's rules allow, made up member by member. */
function soundBody(model: Model, kind: 'create' | 'replace' | 'update'): Record<string, unknown> {
  const members = model.fields.filter((field) => isSettable(field, kind));
  return Object.fromEntries(
    members.flatMap((field) => {
      const value =
        field.origin === 'relation' && field.type === 'uuid'
          ? '019b76da-a800-7000-8000-000000000000'
          : exampleValue(field, 1, []);
      return value === undefined ? [] : [[field.member, value]];
    }),
  );
}

describe.each(graph.models.map((model) => [model.name, model] as const))('%s', (_name, model) => {
  test.each(['create', 'replace', 'update'] as const)('what the service takes to %s, the document takes', (kind) => {
    const validate = ajv.compile({ $ref: `document:/#/components/schemas/${typeName(model)}.${kind}` });
    const read = bodyReader(model, kind);
    const sound = soundBody(model, kind);
    expect({ failures: read({ ...sound }).failures, valid: validate(sound) }).toEqual({ failures: [], valid: true });
    const members = [...model.byMember.keys(), 'stranger'];
    const member = fc.constantFrom(...members);
    const changes = fc.record({
      set: fc.uniqueArray(fc.tuple(member, anyValue), { selector: ([name]) => name, maxLength: 3 }),
      without: fc.uniqueArray(member, { maxLength: 2 }),
    });
    const counts = { taken: 0, refused: 0 };
    fc.assert(
      fc.property(changes, ({ set, without }) => {
        const kept = Object.entries(sound).filter(([name]) => !without.includes(name));
        const body: Record<string, unknown> = { ...Object.fromEntries(kept), ...Object.fromEntries(set) };
        const { failures, repeated } = read(body);
        if (failures.length > 0 || repeated.size > 0) return void (counts.refused += 1);
        counts.taken += 1;
        expect({ body, valid: validate(body), errors: validate.errors }).toMatchObject({ valid: true });
      }),
      { numRuns: 3000 },
    );
    expect(counts.taken).toBeGreaterThan(100);
    expect(counts.refused).toBeGreaterThan(100);
  });

  test(
    'each value that the service takes for a member, the document ' +
      'takes, and where no rule is in words the reverse',
    () => {
      const validate = ajv.compile({ $ref: `document:/#/components/schemas/${typeName(model)}.update` });
      // What may be hidden from somebody may be null in what they send back.
      const mayBeNull = (field: Field): boolean => mayBeHidden(graph, model, field);
      const read = bodyReader(model, 'update', { mayLeaveOut: () => false, mayBeNull });
      for (const field of model.fields) {
        if (!isSettable(field, 'update')) continue;
        const inWords =
          field.type === 'decimal' || field.rules.trim || field.type === 'email' || field.rules.letters !== undefined;
        fc.assert(
          fc.property(anyValue, (value) => {
            const body = { [field.member]: value };
            const taken = read(body).failures.length === 0;
            const valid = validate(body);
            if (taken || !inWords) expect({ body, valid }).toEqual({ body, valid: taken });
          }),
        );
      }
    },
  );

  test('every endpoint is found at its path, and nothing at a path like it', () => {
    const routes = makeRoutes(graph);
    for (const { path, method, under } of endpointsOf(graph, model)) {
      const found = routes.find(path.replace(/\{[^}]+\}/, 'a%2Fb'));
      expect(found?.place.endpoints.has(method)).toBe(true);
      expect(found?.key).toBe(path.includes('{') ? 'a/b' : undefined);
      expect(found?.place.model).toBe(model);
      for (const wrong of [`${path}/`, `/x${path}`, path.slice(1), `${path}/${under?.plural ?? 'more'}/x/y`]) {
        expect(routes.find(wrong.replace(/\{[^}]+\}/, 'k'))).toBeUndefined();
      }
    }
  });
});
