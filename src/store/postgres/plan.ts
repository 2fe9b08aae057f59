import type { Statement, StoreValue } from '../../core/sql/statement.ts';
import type { Store, Transaction } from '../../core/store/contract.ts';
import type { Plan, PlanStep } from '../base/plan.ts';

/** A node of EXPLAIN (FORMAT JSON), as far as it is used. */
interface Node {
  readonly 'Node Type': string;
  readonly 'Relation Name'?: string;
  readonly 'Index Name'?: string;
  readonly 'Index Cond'?: string;
  readonly 'Sort Key'?: readonly string[];
  readonly Plans?: readonly Node[];
}

const WITHOUT_SCANS: Statement = { sql: 'SET LOCAL enable_seqscan = off' };

export async function planOf(store: Store, { sql }: Statement, values: readonly StoreValue[]): Promise<Plan> {
  const explain: Statement = { sql: `EXPLAIN (FORMAT JSON) ${sql}` };
  const steps = async (on: Transaction): Promise<PlanStep[]> => {
    const [text] = (await on.first(explain, values))!;
    return stepsOf((JSON.parse(String(text)) as [{ Plan: Node }])[0].Plan);
  };
  return store.transaction(async (transaction) => {
    const now = await steps(transaction);
    await transaction.run(WITHOUT_SCANS, []);
    return { now, large: await steps(transaction) };
  });
}

/** What a table is read for by way of a bitmap stands below it, as the index that made the bitmap. */
const TOLD = /Scan|Sort/;

const stepsOf = (node: Node): PlanStep[] => [
  ...(TOLD.test(node['Node Type']) ? [stepOf(node)] : []),
  ...(node.Plans ?? []).flatMap(stepsOf),
];

function stepOf(node: Node): PlanStep {
  const { 'Node Type': type, 'Relation Name': table, 'Index Name': index, 'Index Cond': found } = node;
  if (type.includes('Sort')) return { way: 'sort', text: `sorts by ${node['Sort Key']?.join(', ') ?? ''}` };
  const named = table === undefined ? {} : { table };
  if (type === 'Seq Scan') return { way: 'scan', ...named, text: `${table}: every row` };
  if (index !== undefined) {
    const what = found === undefined ? `in the order of index ${index}` : `by index ${index} ${found}`;
    return { way: 'index', ...named, text: table === undefined ? what : `${table}: ${what}` };
  }
  if (table !== undefined) return { way: 'index', table, text: `${table}: the rows that an index found` };
  return { way: 'other', text: 'what was found before' };
}
