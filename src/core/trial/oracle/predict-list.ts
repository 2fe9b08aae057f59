import { clientScope } from '../../access/client-scope.ts';
import { permissionsFor } from '../../access/permissions.ts';
import { SERVICE, viewersOf } from '../../access/viewer.ts';
import { listParameters } from '../../api/parameters.ts';
import { parse } from '../../expression/parse.ts';
import { typedCondition } from '../../expression/type.ts';
import type { Graph } from '../../model/graph.ts';
import type { Model } from '../../model/model.ts';
import type { FieldValue } from '../../model/scalar.ts';
import { isScalar } from '../../model/types.ts';
import { fromText } from '../../model/value.ts';
import type { Answer, Fault } from '../answer.ts';
import { faultOf } from '../judge.ts';
import { ITSELF } from './grants.ts';
import type { Who } from './grants.ts';
import { comparedIn } from './order.ts';
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
  const keys =
    sort === undefined
      ? model.sort.map(({ field, descending }) => ({ member: field.member, descending }))
      : sort.split(',').map((key) => ({ member: key.replace(/^-/, ''), descending: key.startsWith('-') }));
  const specs = keys.map(({ member }) => model.shownByMember.get(member));
  const isHidden = ({ member }: { member: string }): boolean => {
    const grants = model.access.fields.get(member);
    return grants !== undefined && !oracle.could(grants, model, who);
  };
  if (keys.some(isHidden)) throw wrong();
  if (specs.includes(undefined)) throw new Unsure('the list is sorted by what is not stored');
  const byKey = { member: model.key.member, descending: keys.at(-1)!.descending };
  const all = [...keys, ...(keys.some(({ member }) => member === byKey.member) ? [] : [byKey])];
  return [...rows].sort((one, other) => {
    for (const { member, descending } of all) {
      const [left, right] = [one, other].map((row) => oracle.seen(model, member, row, who) ?? null);
      const difference = comparedIn(model.byMember.get(member)!, left!, right!, descending);
      if (difference !== 0) return difference;
    }
    return 0;
  });
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
