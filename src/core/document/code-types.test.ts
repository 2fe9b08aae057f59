import { expect, test } from '@jest/globals';
import { compile } from '../compile.ts';
import { cql } from '../change/find.ts';
import { codeTypes } from './code-types.ts';

test('types say what may be null, what may be left out, and what only certain values may be', () => {
  const text = `
model: supply-draw
key: serial
stamps: false
fields:
  amount: { type: decimal, required: true }
  kind: { enum: [a, "it's"], default: a, required: true }
  sizes: { type: array, items: { type: integer, enum: [1, 2] } }
  spot: { type: object, properties: { x: { type: number, required: true }, y: { type: json } } }
  pass: { type: secret, required: true }
  fixed: { type: boolean, const: true, description: 'Always so.' }
relations: { marks: { with: mark } }
operations: { count: { target: list, input: { of: { type: date } } } }
---
model: mark
key: name
stamps: false
fields: { name: { type: string } }
`;
  const { graph } = compile({
    service: { file: 's', text: 'service: { name: X }' },
    models: [{ file: 'm', text }],
    environment: {},
  });
  const written = codeTypes(graph!);
  expect(written).toContain(`    'supply-draw': {
      key: number;
      record: {
        /** The key of the record. */
        id: number;
        amount: string;
        kind: 'a' | 'it\\'s';
        sizes: (1 | 2)[] | null;
        spot: { x: number; y?: unknown | null } | null;
        /** Always so. */
        fixed: true | null;
        mark_ids: string[];
      };
      values: {
        id?: number;
        amount: string;
        kind?: 'a' | 'it\\'s';
        sizes?: (1 | 2)[] | null;
        spot?: { x: number; y?: unknown | null } | null;
        pass: string;
        fixed?: true | null;
        mark_ids?: string[];
      };
    };`);
  expect(written).toContain(`    'supply-draw.count': {
      input: {
        of: string | null;
      };
    };`);
});

test('values of a condition stand as literals, whatever they hold', () => {
  expect(cql`name = ${"it's'; --"} AND beds > ${3} OR open = ${true}`).toBe(
    "name = 'it''s''; --' AND beds > 3 OR open = true",
  );
  expect(() => cql`beds > ${NaN}`).toThrow('NaN is no value');
});
