import type { Statement, StoreValue } from '../../core/sql/statement.ts';
import type { Reader, Store } from '../../core/store/contract.ts';
import type { Plan, PlanStep } from '../base/plan.ts';

/** Of a small table an index is not worth it: so few seeks count, as in a large one. */
const AS_IF_LARGE = 'SET STATEMENT max_seeks_for_key = 1 FOR ';

export async function planOf(store: Store, { sql }: Statement, values: readonly StoreValue[]): Promise<Plan> {
  const names = tableNames(sql);
  const steps = async (on: Reader, explain: string): Promise<PlanStep[]> =>
    (await on.all({ sql: `${explain}EXPLAIN ${sql}` }, values)).flatMap((row) => stepsOf(row, names));
  return store.transaction(async (transaction) => ({
    now: await steps(transaction, ''),
    large: await steps(transaction, AS_IF_LARGE),
  }));
}

/** The tables behind the names that a statement gives them. */
const tableNames = (sql: string): ReadonlyMap<string, string> =>
  new Map([...sql.matchAll(/"([^"]+)" AS "?([A-Za-z0-9_@]+)"?/g)].map(([, table, alias]) => [alias!, table!]));

/** The columns of EXPLAIN: id, select_type, table, type, possible_keys, key, key_len, ref, rows, Extra. */
function stepsOf(row: readonly StoreValue[], names: ReadonlyMap<string, string>): PlanStep[] {
  const [, , called, type, , key, , ref, , extra] = row.map((value) => (value === null ? undefined : String(value)));
  const sorts =
    extra?.includes('Using filesort') === true ? [{ way: 'sort', text: 'sorts what it found' } as const] : [];
  if (called === undefined || type === undefined) return sorts;
  if (called.startsWith('<')) return [{ way: 'other', text: 'what was found before' }, ...sorts];
  const table = names.get(called) ?? called;
  if (type === 'ALL') return [{ way: 'scan', table, text: `${table}: every row` }, ...sorts];
  const found = ref === undefined || type === 'index' ? '' : ` (${ref})`;
  const how = type === 'index' ? `in the order of index ${key}` : `by index ${key}${found}`;
  return [{ way: 'index', table, text: `${table}: ${how}` }, ...sorts];
}
