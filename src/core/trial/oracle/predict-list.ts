import { clientScope } from '../../access/client-scope.ts';
import { permissionsFor } from '../../access/permissions.ts';
import { SERVICE, viewersOf } from '../../access/viewer.ts';
import { listParameters } from '../../api/parameters.ts';
import { parse } from '../../expression/parse.ts';
import { typedCondition } from '../../expression/type.ts';
import type { Graph } from '../../model/graph.ts';
import type { Field } from '../../model/field.ts';
import { keyFields, partsOf, storedValue } from '../../model/joined-key.ts';
import type { Model, SortKey } from '../../model/model.ts';
import type { FieldValue } from '../../model/scalar.ts';
import { isScalar } from '../../model/types.ts';
import { fromText } from '../../model/value.ts';
import type { Answer, Fault } from '../answer.ts';
import { faultOf } from '../judge.ts';
import { ITSELF } from './grants.ts';
import type { Oracle, Who } from './grants.ts';
import { comparedByKey, comparedIn } from './order.ts';
import { parentKey, parentOf } from './asking.ts';
import type { AskedEndpoint, Prediction } from './asking.ts';
import { authorize, Refusal, Unsure } from './refusal.ts';
import { shownFaults } from './shown.ts';
import type { Row } from './world-state.ts';

/** The parameters of a list whose meaning is predicted. */
interface ListQuery {
  readonly single: ReadonlyMap<string, string>;
  readonly equal: readonly { readonly member: string; readonly values: readonly FieldValue[] }[];
}

const wrong = (): Refusal => new Refusal('invalid-parameter');

function readQuery(model: Model, query: string): ListQuery {
  const single = new Map<string, string>();
  const equal = new Map<string, FieldValue[]>();
  for (const [name, value] of new URLSearchParams(query)) {
    const field = model.shownByMember.get(name);
    if ((listParameters as readonly string[]).includes(name)) {
      if (single.has(name)) throw wrong();
      single.set(name, value);
    } else if (field === undefined || !isScalar(field.type)) throw wrong();
    else {
      if (model.access.fields.has(name)) throw new Unsure('a member that is not for everybody narrows the list');
      const read = fromText(field, value);
      if ('fault' in read || field.rules.enum?.includes(read.value as string) === false) throw wrong();
      equal.set(name, [...(equal.get(name) ?? []), read.value]);
    }
  }
  return { single, equal: [...equal].map(([member, values]) => ({ member, values })) };
}

/** What such a caller may name in a filter, and what it means. */
function scopeFor(graph: Graph, model: Model, who: Who) {
  const viewer = who === ITSELF ? SERVICE : viewersOf(graph)(who);
  return clientScope(permissionsFor(graph, viewer), model);
}

/** The records that a query chooses, of those that the caller may read. */
export function chosenRows(asked: AskedEndpoint): { rows: Row[]; names: number; single: ListQuery['single'] } {
  const { model, asking, writing } = asked;
  const { oracle, state, who } = writing;
  const { single, equal } = readQuery(model, asking.query);
  if (single.get('filter-lang') !== undefined) throw new Unsure('the filter is in another language');
  const text = single.get('filter');
  const condition = text === undefined ? undefined : typed(() => scopeFor(state.graph, model, who), text);
  const isIn = (row: Row): boolean =>
    equal.every(({ member, values }) => values.includes(oracle.seen(model, member, row, who) ?? null)) &&
    oracle.may(model, 'read', row, who) &&
    (condition === undefined || oracle.valueOf(condition, model, row, who) === true);
  return { rows: state.allOf(model.name).filter(isIn), names: single.size + equal.length, single };
}

function typed(scope: () => Parameters<typeof typedCondition>[1], text: string) {
  try {
    return typedCondition(parse(text), scope());
  } catch {
    throw wrong();
  }
}

/** Parameters of a page whose records are not worked out here. */
const BEYOND = ['after', 'before', 'view', 'fields', 'include', 'may', 'etags'];

export function listPrediction(asked: AskedEndpoint): Prediction {
  const { model, writing } = asked;
  const { oracle, state, who } = writing;
  authorize(oracle, model.access.verbs.read, model, who);
  const whole = parentKey(asked);
  const { rows: all, single } = chosenRows(asked);
  const { most, default: usual } = state.graph.service.paging;
  const limit = Number(single.get('limit') ?? usual);
  const offset = Number(single.get('offset') ?? 0);
  const total = single.get('total') ?? 'false';
  if (
    !Number.isInteger(limit) ||
    limit < (total === 'true' ? 0 : 1) ||
    limit > most ||
    !['true', 'false'].includes(total)
  )
    throw wrong();
  const sorted = inOrder(asked, all, single.get('sort'));
  const home = whole === undefined ? {} : parentOf(asked);
  if (BEYOND.some((name) => single.has(name)) || model.listView !== 'default')
    throw new Unsure('the query chooses what is shown');
  const within = sorted.filter((row) => Object.entries(home).every(([member, key]) => row[member] === key));
  const page = within.slice(offset, offset + limit);
  return {
    status: 200,
    reason: '',
    faults: (answer) => pageFaults(asked, answer, page, total === 'true' ? within.length : undefined),
    after: () => state,
  };
}

function inOrder({ model, writing: { oracle, who } }: AskedEndpoint, rows: readonly Row[], sort: string | undefined) {
  const asked = sort?.split(',').map((key) => ({ name: key.replace(/^-/, ''), descending: key.startsWith('-') }));
  const isHidden = ({ name }: { name: string }): boolean => {
    const grants = model.access.fields.get(name);
    return grants !== undefined && !oracle.could(grants, model, who);
  };
  if (asked?.some(isHidden) === true) throw wrong();
  const keys = asked === undefined ? model.sort : asked.flatMap((key) => sortKeys(model, key));
  // The key ends every order, whoever may see what it is put together of.
  const isOpen = (field: Field): boolean => asked === undefined && keyFields(model).includes(field);
  const placed = rows.map((row) => ({
    row,
    values: keys.map(({ field }) => storedValue(isOpen(field) ? row : seenOf(oracle, model, field, row, who), field)),
  }));
  placed.sort((one, other) => {
    for (const [at, { field, descending }] of keys.entries()) {
      const difference = comparedIn(field, one.values[at]!, other.values[at]!, descending);
      if (difference !== 0) return difference;
    }
    return comparedByKey(model, one.row, other.row, keys.at(-1)!.descending);
  });
  return placed.map(({ row }) => row);
}

/** What of a record somebody sees of what a field is a part of. */
function seenOf(oracle: Oracle, model: Model, { member, partOf }: Field, row: Row, who: Who): Row {
  const name = partOf?.member ?? member;
  return { [name]: oracle.seen(model, name, row, who) ?? null };
}

/** What is put together of several fields is sorted by those. */
function sortKeys(model: Model, { name, descending }: { name: string; descending: boolean }): SortKey[] {
  const field = model.shownByMember.get(name);
  if (field === undefined) throw new Unsure('the list is sorted by what is not stored');
  return partsOf(field).map((part) => ({ field: part, descending }));
}

function pageFaults(
  { model, writing: { oracle, who } }: AskedEndpoint,
  { body }: Answer,
  wanted: readonly Row[],
  total: number | undefined,
): Fault[] {
  const { data = [], page } = (body ?? {}) as { data?: Row[]; page?: { total?: number } };
  const keysOf = (rows: readonly Row[]): unknown[] => rows.map((row) => row[model.key.member]);
  if (JSON.stringify(keysOf(data)) !== JSON.stringify(keysOf(wanted)))
    return [faultOf('the records', keysOf(wanted), keysOf(data))];
  if (total !== undefined && page?.total !== total) return [faultOf('page.total', total, page?.total)];
  return data.flatMap((shown, at) => shownFaults(oracle, model, shown, wanted[at]!, who));
}
