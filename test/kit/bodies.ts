import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from '@jest/globals';
import addFormats from 'ajv-formats';
import { Ajv2020 } from 'ajv/dist/2020.js';
import fc from 'fast-check';
import { openApi } from '../../src/core/document/openapi.ts';
import { typeName } from '../../src/core/document/type-name.ts';
import type { ValueSpec } from '../../src/core/model/field.ts';
import type { Graph } from '../../src/core/model/graph.ts';
import type { Model } from '../../src/core/model/model.ts';
import { ownerField } from '../../src/core/model/related.ts';
import { makeDocumentJudge } from '../../src/core/trial/document-judge.ts';
import { openDatabase } from '../../src/project/database.ts';
import { readProject } from '../../src/project/project.ts';
import type { SoundProject } from '../../src/project/project.ts';
import { serviceOn } from '../../src/project/serve.ts';
import { anything, valuesOf } from './from-schema.ts';
import { judgeAnswer } from './judged.ts';

/** Bodies of each write of each model. */
const BODIES = 12;

type Tree = Record<string, unknown>;

/** What the document has no word for, wherever it stands: other records, and what stands in the record already. */
const ELSEWHERE = ['unknown-record', 'immutable', 'readOnly', 'stamp', 'drawn-on', 'check', 'unique'];

/** Whether a value has rules that stand in the document as words. */
const hasWords = (spec: ValueSpec | undefined): boolean =>
  spec === undefined ||
  spec.type === 'decimal' ||
  spec.rules.trim ||
  spec.rules.letters !== undefined ||
  (spec.items !== undefined && hasWords(spec.items)) ||
  [...(spec.properties?.values() ?? [])].some(hasWords);

/**
 * Sends bodies that the document allows, and such that it doesn't, to every write of a project's service. Throws where
 * the two don't agree; gives how many the document allowed, and how many not.
 */
export async function tryBodies(folder: string, seed: number): Promise<{ taken: number; refused: number }> {
  const project = readProject(folder, false) as SoundProject;
  const { graph } = project;
  const place = mkdtempSync(join(tmpdir(), 'vantfell-bodies-'));
  const { store } = await openDatabase(project, `sqlite:${join(place, 'bodies.db')}`);
  const defects: unknown[] = [];
  const service = serviceOn(graph, store, ['k'.repeat(32)], (error) => defects.push(error), { everybody: true });
  const document = openApi(graph);
  const judge = makeDocumentJudge(document);
  const ajv = new Ajv2020({ strict: false });
  (addFormats as unknown as (ajv: Ajv2020) => void)(ajv);
  ajv.addSchema({ $id: 'document:/', ...document });
  const counts = { taken: 0, refused: 0 };
  let tried = 0;

  const send = async (method: string, target: string, body: unknown, headers: Record<string, string> = {}) => {
    const type = method === 'PATCH' ? 'application/merge-patch+json' : 'application/json';
    const bytes = new TextEncoder().encode(JSON.stringify(body));
    const reply = await service.handle({ method, target, headers: { 'content-type': type, ...headers }, body: bytes });
    const answer = { ...reply, body: reply.body === undefined ? undefined : (JSON.parse(reply.body) as Tree) };
    judgeAnswer(judge, method, target, answer);
    return answer;
  };

  for (const model of graph.models) {
    const collection = `${graph.service.prefix}/${model.plural}`;
    for (const kind of ['create', 'replace', 'update'] as const) {
      if (!model.endpoints.has(kind)) continue;
      const isValid = ajv.compile({ $ref: `document:/#/components/schemas/${typeName(model)}.${kind}` });
      const bodies = valuesOf(document, {
        $ref: `#/components/schemas/${typeName(model)}.${kind}`,
      }) as fc.Arbitrary<Tree>;
      const key = kind === 'create' ? undefined : await recordOf(graph, model);
      if (kind !== 'create' && key === undefined) continue;
      const target = key === undefined ? collection : `${collection}/${encodeURIComponent(key as string)}`;
      for (const [at, body] of fc.sample(mutated(bodies), { numRuns: BODIES, seed: seed + (tried += 1) }).entries()) {
        const method = { create: 'POST', replace: 'PUT', update: 'PATCH' }[kind];
        const answer = await send(method, target, body, key === undefined ? {} : { 'if-match': '*' });
        const shown = { folder, method, target, at, body, answer: answer.body, said: isValid.errors };
        if (!isValid(body)) {
          counts.refused += 1;
          // A stamp or a stock of another form has moved on, like one of another value.
          surprise(![412, 422].includes(answer.status), shown);
          continue;
        }
        counts.taken += 1;
        if ([200, 201, 409, 412].includes(answer.status)) continue;
        surprise(answer.status !== 422, shown);
        for (const { pointer, rule } of answer.body!.errors as { pointer: string; rule: string }[]) {
          const member = pointer.split('/')[1] ?? '';
          // What a part is merged into may be missing what has to be there.
          if (rule === 'required' && method === 'PATCH' && pointer.split('/').length > 2) continue;
          // Everybody may do everything here, so that nobody is signed in to own it.
          if (rule === 'required' && member === ownerField(model)?.member) continue;
          surprise(!(ELSEWHERE.includes(rule) || member === '' || hasWords(model.byMember.get(member))), shown);
        }
      }
    }
  }
  expect(defects).toEqual([]);
  await service.writes.settled();
  await store.close();
  rmSync(place, { recursive: true });
  return counts;

  /** The key of a record, made with the service's own authority; undefined where none can be made alone. */
  async function recordOf(of: Graph, model: Model): Promise<unknown> {
    const body = valuesOf(document, {
      $ref: `#/components/schemas/${typeName(model)}.${(['create', 'replace', 'update'] as const).find((one) => model.endpoints.has(one))}`,
    }) as fc.Arbitrary<Tree>;
    for (const values of fc.sample(body, { numRuns: 10, seed })) {
      for (const { field } of of.byName.get(model.name)!.relations) delete values[field.member];
      const made = await service.writes
        .run(null, (work) => service.writes.scopeOf(work).model(model.name).create(onlyFields(model, values)))
        .catch(() => undefined);
      if (made !== undefined) return (made as Tree)[model.key.member];
    }
    return undefined;
  }
}

function surprise(isOne: boolean, shown: Tree): void {
  if (isOne) throw new Error(JSON.stringify(shown, null, 1));
}

const onlyFields = (model: Model, values: Tree): never =>
  Object.fromEntries(Object.entries(values).filter(([name]) => model.byMember.get(name)?.origin === 'field')) as never;

/** Bodies as the document has them, and such in which one member is something else, missing, or too many. */
const mutated = (bodies: fc.Arbitrary<Tree>): fc.Arbitrary<Tree> =>
  fc.oneof(
    { weight: 2, arbitrary: bodies },
    {
      weight: 1,
      arbitrary: fc
        .tuple(bodies, fc.nat(), anything, fc.constantFrom('other', 'missing', 'more'))
        .map(([body, place, value, how]) => {
          const names = Object.keys(body);
          const name = names[place % Math.max(1, names.length)];
          if (how === 'more' || name === undefined) return { ...body, stranger: value };
          const { [name]: _gone, ...rest } = body;
          return how === 'missing' ? rest : { ...body, [name]: value };
        }),
    },
  );
