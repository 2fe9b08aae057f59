import type { Field, Graph, Model } from '../model/graph.ts';
import { noRules } from '../model/rules.ts';
import { readStatement } from '../query/statements.ts';
import { journalTable } from '../tables/own-tables.ts';
import { keyFromText } from './key.ts';
import type { Reply } from './message.ts';
import { HttpProblem } from './problems.ts';
import { makeListReader } from './read-list.ts';
import type { Serving } from './serving.ts';

/** The journal of a model, or of one record where its key is given: the latest first, in pages like those of any list. */
export function makeJournalReader(
  model: Model,
  serving: Serving,
): (path: string, query: string, keyText?: string) => Promise<Reply> {
  const { graph, store } = serving;
  const { dialect } = store;
  const journal = journalModel(graph);
  const [ofModel, ofRecord] = ['model', 'record'].map((member) => journal.byMember.get(member)!) as [Field, Field];
  const list = makeListReader(journal, serving);
  const there = readStatement(model, [model.key], dialect);
  const { name, placeholder } = dialect;
  const written = {
    sql: `SELECT 1 FROM ${name(journal.table)} WHERE ${name('model')} = ${placeholder(1)} AND ${name('record')} = ${placeholder(2)} LIMIT 1`,
  };

  return async (path, query, keyText) => {
    const always = [{ field: ofModel, values: [model.name] }];
    if (keyText === undefined) return list(path, query, undefined, always);
    const key = keyFromText(model.key, keyText);
    const record = String(key);
    // A deleted record keeps its journal.
    const known =
      (await store.first(there, [dialect.bind(model.key, key)])) ?? (await store.first(written, [model.name, record]));
    if (known === undefined) throw new HttpProblem('not-found');
    return list(path, query, undefined, [...always, { field: ofRecord, values: [record] }]);
  };
}

const required = { ...noRules, required: true, immutable: true, readOnly: true };

const field = (
  member: string,
  type: Field['type'],
  description: string,
  rules: Partial<Field['rules']> = {},
): Field => ({
  member,
  column: member,
  type,
  scale: 0,
  origin: member === 'id' ? 'key' : 'field',
  description,
  examples: [],
  rules: { ...required, ...rules },
});

/** The lines of the journal, as a model of their own that no project declares. */
export function journalModel(graph: Pick<Graph, 'models'>): Model {
  const key = field('id', 'uuid', 'The key of this line.');
  const fields = [
    key,
    field('model', 'string', 'The model.', { writeOnly: true }),
    field('record', 'string', 'The key of the record.'),
    field('at', 'date-time', 'When it was done.'),
    field('by', 'string', 'The key of whoever did it; null where nobody was signed in.', { required: false }),
    field('action', 'string', 'What was done.', { enum: ['create', 'update', 'delete'] }),
    field('changes', 'json', 'What each member was, and what it became.'),
  ];
  const shown = fields.filter(({ rules }) => !rules.writeOnly);
  const byName = (all: readonly Field[]) => new Map(all.map((one) => [one.member, one]));
  const all = byName(fields);
  const named = (...members: string[]): Field[] => members.map((member) => all.get(member)!);
  return {
    ...graph.models[0]!,
    name: 'journal',
    plural: 'journal',
    table: journalTable.name,
    description: 'Who did what to a record, and when.',
    keyKind: 'uuid',
    key,
    fields,
    byMember: all,
    shown,
    shownByMember: byName(shown),
    relations: [],
    links: [],
    reverses: [],
    parent: undefined,
    parts: [],
    owner: undefined,
    stamps: false,
    sort: [{ field: key, descending: true }],
    label: undefined,
    computed: [],
    rules: [],
    unique: [],
    indexes: [named('model', 'record', 'id'), named('model', 'id')],
    views: new Map([['default', shown.map(({ member }) => ({ name: member }))]]),
    listView: 'default',
    operations: [],
    draws: [],
    journal: false,
  };
}
