import { OPERATION } from '../../change/journal.ts';
import { fieldExpression } from '../../expression/property.ts';
import type { Access, Grant } from '../../model/access.ts';
import { kindOf, plain } from '../../model/expression.ts';
import type { Expression } from '../../model/expression.ts';
import { noRules } from '../../model/field.ts';
import type { Field } from '../../model/field.ts';
import { modelOf } from '../../model/graph.ts';
import type { Graph } from '../../model/graph.ts';
import type { Computed, Model } from '../../model/model.ts';
import { journalTable } from '../../tables/own-tables.ts';

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

const ANYBODY: readonly Grant[] = [{ kind: 'anybody' }];

/** Who may read a line depends on its record; `by` is for readers who may know that caller. */
function accessOf(graph: Pick<Graph, 'byName' | 'identity'>, by: Field): Access {
  const fields = new Map<string, readonly Grant[]>();
  if (graph.identity !== undefined) {
    const { read } = modelOf(graph, graph.identity.model).access.verbs;
    const me: Expression = { op: 'me', type: kindOf(by) };
    const isMe: Expression = { op: '=', left: fieldExpression(by), right: me, type: plain('boolean') };
    const fixed = read.filter(({ kind }) => ['anybody', 'signed-in', 'verified', 'role'].includes(kind));
    fields.set(by.member, [...fixed, { kind: 'where', where: isMe, text: 'by = me()' }]);
  }
  const verbs = { read: ANYBODY, create: [], update: [], delete: [], replace: [], clear: [], journal: [] };
  return { verbs, operations: new Map(), fields, set: new Map() };
}

/** The journal's lines as a model. */
export function journalModel(graph: Graph): Model {
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
  const changes = fieldExpression(fields.at(-1)!) as Expression & { op: 'field' };
  const operation: Computed = {
    member: 'operation',
    type: 'string',
    scale: 0,
    rules: { ...noRules, readOnly: true },
    examples: [],
    description: 'The operation that did it; null for a plain write.',
    value: { ...changes, inside: [OPERATION], type: plain('text') },
  };
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
    stamps: {},
    sort: [{ field: key, descending: true }],
    label: undefined,
    computed: [operation],
    rules: [],
    unique: [],
    indexes: [named('model', 'record', 'id'), named('model', 'id')],
    views: new Map([['default', [...shown, operation].map(({ member }) => ({ name: member }))]]),
    listView: 'default',
    operations: [],
    draws: [],
    journal: false,
    access: accessOf(graph, all.get('by')!),
  };
}
