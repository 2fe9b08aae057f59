import { expect, test } from '@jest/globals';
import { stringify } from 'yaml';
import { allEndpoints } from '../api/endpoints.ts';
import { compile } from '../compile.ts';
import { documentYaml, openApi, openApiSteps, yamlPieces } from './openapi.ts';

const MODELS = `
model: hut
description: |
  Two lines,
    one of them indented: with a colon.
fields:
  name: { type: string, required: true, message: 'a "name"', pattern: '^[A-Z]' }
  note: { type: text }
---
model: warden
fields: { name: { type: string, default: '#1: one' } }
relations: { hut: { to: hut } }
`;
const { graph } = compile({
  service: { file: 's', text: 'service: { name: X }' },
  models: [{ file: 'm', text: MODELS }],
  environment: {},
});

test('a document is made in steps, one for each endpoint, and is the same', () => {
  const steps = openApiSteps(graph!);
  let [count, step] = [0, steps.next()];
  for (; step.done !== true; step = steps.next()) count += 1;
  expect(count).toBe([...allEndpoints(graph!)].length);
  expect(step.value).toEqual(openApi(graph!));
});

test('its pieces in YAML are the whole, byte for byte', () => {
  const document = { ...openApi(graph!), 'x-none': {}, 'x-text': 'a\n\n  b\n' };
  const whole = stringify(document, { aliasDuplicateObjects: false, lineWidth: 0 });
  expect([...yamlPieces(document)].length).toBeGreaterThan(Object.keys(openApi(graph!).paths as object).length);
  expect(documentYaml(document)).toBe(whole);
  expect(documentYaml({ paths: {}, components: { schemas: {} } })).toBe('paths: {}\ncomponents:\n  schemas: {}\n');
});
