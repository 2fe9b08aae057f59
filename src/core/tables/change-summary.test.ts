import { expect, test } from '@jest/globals';
import { compile } from '../compile.ts';
import { changeSummaries, riskText } from './change-summary.ts';
import { designTables } from './design.ts';
import { questionsOf } from './match.ts';
import { diffSchemas, noDecisions } from './schema-diff.ts';
import type { Table } from './table.ts';

const HUT = 'model: hut\nstamps: false\nfields:\n  name: { type: string }\n  beds: { type: integer, minimum: 1 }\n';

function tables(...models: string[]): Table[] {
  const service = { file: 'vantfell.yaml', text: 'service: { name: Words }' };
  const sources = models.map((text, at) => ({ file: `${at}.yaml`, text }));
  return designTables(compile({ service, models: sources, environment: {} }).graph!);
}

const told = (before: Table[], after: Table[], renames: Record<string, string> = {}): string[] => {
  const decisions = { ...noDecisions, renames: new Map(Object.entries(renames)) };
  const summaries = changeSummaries(diffSchemas(before, after, decisions), decisions);
  return summaries.map(({ subject, text, risks }) =>
    [`${subject}: ${text}`, ...risks.map((risk) => riskText(risk, { count: 2 }))].join('; '),
  );
};

test.each<[string, string[], string[]]>([
  ['nothing', [HUT], []],
  ['a field', [`${HUT}  open: { type: boolean }\n`], ['hut.open: new, boolean']],
  [
    'a required one',
    [`${HUT}  open: { type: boolean, required: true }\n`],
    ['hut.open: new, required boolean; 2 rows have no value for it, which stops it'],
  ],
  ['a field gone', [HUT.replace('  name: { type: string }\n', '')], ['hut.name: goes; loses 2 values']],
  [
    'required now',
    [HUT.replace('type: string', 'type: string, required: true')],
    [
      'hut.name: required now; minLength 1; 2 rows have no value for it, ' +
        'which stops it; 2 rows break it, which stops it',
    ],
  ],
  [
    'a tighter rule',
    [HUT.replace('minimum: 1', 'minimum: 3')],
    ['hut.beds: minimum 3, which was 1; 2 rows break it, which stops it'],
  ],
  ['a rule gone', [HUT.replace(', minimum: 1', '')], ['hut.beds: no minimum any more']],
  [
    'another type',
    [HUT.replace('type: string', 'type: integer')],
    ["hut.name: string becomes integer; 2 rows have a value that can't become integer unchanged, which stops it"],
  ],
  [
    'one that nothing leads to',
    [HUT.replace('type: string', 'type: json')],
    ['hut.name: goes; loses 2 values', 'hut.name: new, json'],
  ],
  [
    'unique',
    [HUT.replace('type: string', 'type: string, unique: true')],
    ['hut (name): unique now; 2 rows are alike, which stops it'],
  ],
  ['an index', [`${HUT}index: [[beds]]\n`], ['hut (beds, id): a new index']],
  ['a model', [HUT, 'model: member\n'], ['member: new table members, 3 columns']],
  [
    'a relation',
    [`${HUT}relations: { twin: { to: hut } }\n`],
    ['hut.twin_id: new, uuid', 'hut (twin_id, id): a new index'],
  ],
  [
    'no model any more',
    ['model: member\nstamps: false\n'],
    ['member: new table members, 1 column', 'hut: its table huts goes; loses 2 rows'],
  ],
])('%s', (_what, after, lines) => {
  expect(told(tables(HUT), tables(...after))).toEqual(lines);
});

test('what looks like a new name is asked, and told as one when it is', () => {
  const cabin = HUT.replace('model: hut', 'model: cabin').replace('beds', 'places');
  const [before, after] = [tables(HUT), tables(cabin)];
  expect(questionsOf(before, after, new Map(), new Set())).toEqual([{ kind: 'table', from: 'hut', to: 'cabin' }]);
  const first = new Map([['hut', 'cabin']]);
  expect(questionsOf(before, after, first, new Set())).toEqual([
    { kind: 'column', from: 'hut.beds', to: 'cabin.places' },
  ]);
  expect(questionsOf(before, after, first, new Set(['hut.beds']))).toEqual([]);
  expect(told(before, after, { hut: 'cabin', 'hut.beds': 'cabin.places' })).toEqual([
    'hut: is called cabin now',
    'hut.beds: is called cabin.places now',
  ]);
});

test('names that only the database sees are told, too', () => {
  const named = HUT.replace('model: hut', 'model: hut\ntable: lodges').replace(
    'beds: { type',
    'beds: { column: places, type',
  );
  expect(told(tables(HUT), tables(named))).toEqual([
    'hut: its table is called lodges now',
    'hut.beds: its column is called places now',
  ]);
});

test('values go where a relation leads, and nowhere else', () => {
  const member = 'model: member\nfields: { name: { type: string } }\n';
  const bare = HUT.replace('  name: { type: string }\n', '');
  const plan = (after: Table[]) =>
    diffSchemas(tables(HUT, 'model: member\n'), after, {
      ...noDecisions,
      renames: new Map([['hut.name', 'member.name']]),
    });
  expect(plan(tables(bare, member)).unjoined).toEqual([['hut.name', 'member.name']]);
  const joined = plan(tables(bare, `${member}relations: { hut: { to: hut } }\n`));
  expect([joined.unjoined, joined.moves.map(({ refers, made }) => [refers, made])]).toEqual([[], [['target', false]]]);
});
