import {
  ANYBODY,
  asked,
  body,
  list,
  sent,
  status,
  told,
  withAccess,
  withField,
  withFilter,
  withModel,
  without,
  withRules,
  withVerb,
  withoutHeader,
  withoutParameter,
} from './mutants.ts';
import type { Mutant, Tree } from './mutants.ts';
import type { Code } from '../../src/core/change/code.ts';
import type { Hooks } from '../../src/core/change/hooks.ts';

const NONE = { kind: 'nobody' } as const;

const withoutRule = (model: string, at: number) =>
  withModel(model, (one) => ({ ...one, rules: one.rules.filter((_rule, index) => index !== at) }));

const withoutHooks = (code: Code): Code => ({ ...code, hooks: new Map<string, Hooks['handlers']>() });

const data = (change: (record: Tree) => Tree) =>
  body((whole) =>
    typeof whole.data === 'object' && whole.data !== null && !Array.isArray(whole.data)
      ? { ...whole, data: change(whole.data as Tree) }
      : whole,
  );

const HARBOUR: readonly Mutant[] = [
  { what: 'a rule along one relation is dropped', model: 'mooring', graph: withoutRule('mooring', 1) },
  { what: 'a rule along two relations is dropped', model: 'mooring', graph: withoutRule('mooring', 2) },
  { what: 'a rule of two times is dropped', model: 'mooring', graph: withoutRule('mooring', 0) },
  { what: 'a rule of two decimals is dropped', model: 'boat', graph: withoutRule('boat', 0) },
  {
    what: 'steps of an amount are not looked at',
    model: 'mooring',
    graph: withRules('mooring', 'rope', { multipleOf: undefined }),
  },
  { what: 'the least amount is another', model: 'mooring', graph: withRules('mooring', 'rope', { minimum: 10 }) },
  {
    what: 'a greatest decimal is a little less',
    model: 'boat',
    graph: withRules('boat', 'length_m', { maximum: 44.9 }),
  },
  { what: 'a year may be any', model: 'boat', graph: withRules('boat', 'built_in', { minimum: undefined }) },
  { what: 'one more item is taken', model: 'boat', graph: withRules('boat', 'papers', { maxItems: 5 }) },
  { what: 'a key may have any form', model: 'quay', graph: withRules('quay', 'code', { pattern: undefined }) },
  {
    what: 'a key can be changed',
    model: 'quay',
    graph: withField('quay', 'rope_m', (field) => ({ ...field, drawnOn: false })),
  },
  { what: 'numbers of one quay may be alike', model: 'berth', sql: ['DROP INDEX berths_unique_quay_id_number'] },
  {
    what: 'writes need no state',
    model: 'mooring',
    graph: withModel('mooring', (one) => ({ ...one, conditional: false })),
  },
  {
    what: 'any state will do',
    model: 'mooring',
    wrap: asked((request) =>
      request.headers['if-match'] === undefined
        ? request
        : { ...request, headers: { ...request.headers, 'if-match': '*' } },
    ),
  },
  {
    what: 'a draw goes on when it should be over',
    model: 'mooring',
    graph: withModel('mooring', (one) => ({ ...one, draws: one.draws.map(({ while: _while, ...draw }) => draw) })),
  },
  { what: 'nothing is drawn', model: 'mooring', graph: withModel('mooring', (one) => ({ ...one, draws: [] })) },
  {
    what: 'owners may not finish',
    model: 'mooring',
    graph: withAccess('mooring', ({ operations }) => ({ operations: new Map([...operations, ['finish', [NONE]]]) })),
  },
  {
    what: 'anybody may launch',
    model: 'boat',
    graph: withAccess('boat', ({ operations }) => ({ operations: new Map([...operations, ['launch', ANYBODY]]) })),
  },
  {
    what: 'input of an operation is not looked at',
    model: 'boat',
    wrap: told((reply, { target }) =>
      target.endsWith('/launch') && reply.status === 422 ? { ...reply, status: 200 } : reply,
    ),
  },
  { what: 'anybody may delete many', model: 'boat', graph: withVerb('boat', 'clear', ANYBODY) },
  { what: 'keepers may not delete many', model: 'boat', graph: withVerb('boat', 'clear', [NONE]) },
  {
    what: 'a birthday shows to all',
    model: 'sailor',
    graph: withAccess('sailor', ({ fields }) => ({ fields: without(fields, 'born_on') })),
  },
  {
    what: 'sailors make themselves keepers',
    model: 'sailor',
    graph: withAccess('sailor', ({ set }) => ({ set: without(set, 'roles') })),
  },
  {
    what: 'moorings show to all who sign in',
    model: 'mooring',
    graph: withVerb('mooring', 'read', [{ kind: 'signed-in' }]),
  },
  { what: 'a boat is given away', model: 'boat', graph: withModel('boat', ({ owner: _owner, ...one }) => one) },
  {
    what: 'an unknown boat is taken',
    model: 'mooring',
    wrap: told((reply, { method }) =>
      method === 'POST' && reply.body?.includes('unknown-record') === true ? { ...reply, status: 201 } : reply,
    ),
  },
  {
    what: 'a decimal loses its zero',
    model: 'berth',
    wrap: data((record) =>
      typeof record.metres === 'string' ? { ...record, metres: record.metres.replace(/\.0$/, '') } : record,
    ),
  },
  {
    what: 'a stamp is another',
    model: 'berth',
    wrap: data((record) =>
      record.updated_at === undefined ? record : { ...record, updated_at: '2020-01-01T00:00:00.000Z' },
    ),
  },
  {
    what: 'a berth in use can be deleted',
    model: 'mooring',
    wrap: status(409, 204, ({ method }) => method === 'DELETE'),
  },
];

const HERBARIUM: readonly Mutant[] = [
  { what: 'a rule with LIKE is dropped', model: 'plant', graph: withoutRule('plant', 0) },
  { what: 'a rule of arithmetic is dropped', model: 'place', graph: withoutRule('place', 0) },
  { what: 'a rule along a relation is dropped', model: 'order', graph: withoutRule('order', 1) },
  { what: 'a rule of two days is dropped', model: 'order', graph: withoutRule('order', 0) },
  {
    what: 'a number off its grid is taken',
    model: 'plant',
    graph: withRules('plant', 'height_cm', { multipleOf: undefined }),
  },
  { what: 'one item less will do', model: 'plant', graph: withRules('plant', 'leaves', { minItems: 1 }) },
  { what: 'items may be alike', model: 'plant', graph: withRules('plant', 'leaves', { uniqueItems: false }) },
  { what: 'a name keeps its blanks', model: 'plant', graph: withRules('plant', 'name', { trim: false }) },
  { what: 'a code keeps its letters', model: 'place', graph: withRules('place', 'code', { letters: undefined }) },
  { what: 'a ticket can be changed', model: 'plant', graph: withRules('plant', 'ticket', { immutable: false }) },
  { what: 'a state can be set', model: 'plant', graph: withRules('plant', 'state', { readOnly: false }) },
  { what: 'a default is forgotten', model: 'order', graph: withRules('order', 'kind', { default: 'kept' }) },
  {
    what: 'a computed default is forgotten',
    model: 'plant',
    graph: withModel('plant', (one) => ({ ...one, defaults: new Map() })),
  },
  { what: 'ranks may be alike', model: 'family', sql: ['DROP INDEX families_unique_rank'] },
  { what: 'a slug has no end', model: 'plant', graph: withRules('plant', 'slug', { maxLength: 60 }) },
  {
    what: 'the stock goes below its minimum',
    model: 'order',
    graph: withModel('order', (one) => ({
      ...one,
      draws: one.draws.map((draw) => ({
        ...draw,
        field: { ...draw.field, rules: { ...draw.field.rules, minimum: 0 } },
      })),
    })),
  },
  {
    what: 'a change draws all anew',
    model: 'order',
    sql: [
      'CREATE TRIGGER twice AFTER UPDATE OF amount ON orders ' +
        'BEGIN UPDATE plants SET stock = stock - 1 WHERE id = NEW.plant_id; END',
    ],
  },
  {
    what: 'the journal of all is empty',
    model: 'order',
    wrap: list((lines, _page, { target }) => (target.includes('orders/journal') ? { data: lines.slice(0, 0) } : {})),
  },
  {
    what: 'deleting many deletes all',
    model: 'plant',
    wrap: asked((request) =>
      request.method === 'DELETE' && request.target.includes('?')
        ? { ...request, target: `${request.target.split('?')[0]}?filter=1%20%3D%201` }
        : request,
    ),
  },
  {
    what: 'a computed value is the other one',
    model: 'plant',
    wrap: data((record) => (typeof record.is_tall === 'boolean' ? { ...record, is_tall: !record.is_tall } : record)),
  },
  {
    what: 'links are kept by a replacement',
    model: 'plant',
    wrap: asked((request) =>
      request.method === 'PUT' ? sent(request, (one) => ({ ...one, like_ids: undefined })) : request,
    ),
  },
  {
    what: 'a cleared reference stays',
    model: 'order',
    wrap: data((record) =>
      'place_id' in record && record.place_id === null
        ? { ...record, place_id: '00000000-0000-7000-8000-000000000000' }
        : record,
    ),
  },
  {
    what: 'a sheet stands in another order',
    model: 'sheet',
    wrap: data((record) =>
      'order_id' in record ? { ...record, order_id: '00000000-0000-7000-8000-000000000000' } : record,
    ),
  },
  {
    what: 'time is cut off',
    model: 'plant',
    wrap: data((record) => (typeof record.found_at === 'string' ? { ...record, found_at: '00:00:00' } : record)),
  },
  { what: 'the order of lists is lost', model: 'plant', wrap: list((records) => ({ data: [...records].reverse() })) },
  {
    what: 'a limit is one more',
    model: 'place',
    wrap: told((reply, { target }) =>
      target.includes('limit=101') && reply.status === 400 ? { ...reply, status: 200 } : reply,
    ),
  },
];

const WORKSHOP: readonly Mutant[] = [
  { what: 'a rule of three numbers is dropped', model: 'allocation', graph: withoutRule('allocation', 1) },
  { what: 'one tool is taken twice a day', model: 'allocation', sql: ['DROP INDEX allocations_unique_tool_id_day'] },
  { what: 'a boolean may be the other one', model: 'tool', graph: withRules('tool', 'safe', { const: undefined }) },
  {
    what: 'a member inside need not be there',
    model: 'tool',
    graph: withField('tool', 'manual', (field) => ({
      ...field,
      properties: new Map(
        [...field.properties!].map(([name, one]) => [name, { ...one, rules: { ...one.rules, required: false } }]),
      ),
    })),
  },
  {
    what: 'a weight may be the bound',
    model: 'tool',
    graph: withRules('tool', 'weight_kg', { exclusiveMaximum: undefined, maximum: 2000 }),
  },
  { what: 'a secret may be short', model: 'maker', graph: withRules('maker', 'word', { minLength: 4 }) },
  {
    what: 'a secret is shown',
    model: 'maker',
    wrap: data((record) => ('handle' in record ? { ...record, word: 'warp and weft and warp' } : record)),
  },
  {
    what: 'members may retire tools',
    model: 'tool',
    graph: withAccess('tool', ({ operations }) => ({
      operations: new Map([...operations, ['retire', [{ kind: 'signed-in' as const }]]]),
    })),
  },
  { what: 'a frame is read by all', model: 'frame', graph: withVerb('frame', 'read', ANYBODY) },
  { what: 'frames can not be changed', model: 'frame', graph: withVerb('frame', 'update', [NONE]) },
  { what: 'a condition of a grant is dropped', model: 'clearance', graph: withVerb('clearance', 'read', ANYBODY) },
  { what: 'makers are for all to read', model: 'maker', graph: withVerb('maker', 'read', ANYBODY) },
  {
    what: 'a clearance outlives its maker',
    model: 'clearance',
    wrap: status(404, 200, ({ method, target }) => method === 'GET' && target.includes('clearances/')),
  },
  { what: 'writers may not change their notes', model: 'board-note', graph: withVerb('board-note', 'update', [NONE]) },
  {
    what: 'stars show to all',
    model: 'board-note',
    graph: withAccess('board-note', ({ fields }) => ({ fields: without(fields, 'stars') })),
  },
  { what: 'sorting is passed over', model: 'tool', wrap: withoutParameter('sort') },
  { what: 'filters with <> find nothing else', model: 'allocation', wrap: withFilter(/<>/, '=') },
  { what: 'keys of repetition are passed over', model: 'allocation', wrap: withoutHeader('idempotency-key') },
  { what: 'a hook that refuses does not run', model: 'board-note', code: withoutHooks },
];

const of = (project: NonNullable<Mutant['project']>, mutants: readonly Mutant[]): Mutant[] =>
  mutants.map((mutant) => ({ ...mutant, project }));

/** The mutants of the projects in `test/fixtures/sound`. */
export const MUTANTS_OF_OTHERS: readonly Mutant[] = [
  ...of('harbour', HARBOUR),
  ...of('herbarium', HERBARIUM),
  ...of('workshop', WORKSHOP),
];
