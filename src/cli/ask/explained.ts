import { indexAdvice } from '../../core/query/index-advice.ts';
import type { IndexAdvice, Wanted } from '../../core/query/index-advice.ts';
import type { ListStatement } from '../../core/query/list-statement.ts';
import type { Graph } from '../../core/model/graph.ts';
import type { Store } from '../../core/store/contract.ts';
import type { Plan, PlanStep } from '../../store/base/plan.ts';
import { planOf } from '../../store/plan-of.ts';
import { isBorder } from '../../store/traced.ts';
import type { TracedStatement } from '../../store/traced.ts';

/** What is shown of one statement. */
export interface Explained {
  readonly asked: TracedStatement;
  readonly plan: Plan;
  /** The tables that it goes through row by row, however many rows they have; and whether it sorts what it found. */
  readonly scanned: readonly string[];
  readonly sorts: boolean;
  readonly advice?: { readonly model: string; readonly advice: IndexAdvice } | undefined;
}

/** How the database goes about each statement of a request. */
export async function explainedAll(
  graph: Graph,
  store: Store,
  asked: readonly TracedStatement[],
): Promise<Explained[]> {
  const explained: Explained[] = [];
  for (const one of asked.filter((one) => !isBorder(one) && one.rows !== undefined)) {
    const plan = await planOf(store, one.statement, one.values);
    const wanted = wantedBy(one);
    explained.push(explainedOf(one, plan, wanted && indexAdvice(graph, wanted)));
  }
  return explained;
}

/** What a statement asks of indexes, where it is that of a list. */
const wantedBy = ({ statement }: TracedStatement): Wanted | undefined => (statement as Partial<ListStatement>).wanted;

const explainedOf = (asked: TracedStatement, plan: Plan, advice: IndexAdvice | undefined): Explained => ({
  asked,
  plan,
  scanned: [...new Set(plan.large.flatMap(({ way, table }) => (way === 'scan' ? (table ?? []) : [])))],
  sorts: plan.large.some(({ way }) => way === 'sort'),
  advice: advice && { model: wantedBy(asked)!.model.name, advice },
});

/** What a list has to look at is known from its form; of other statements, from the plan alone. */
export const isServed = ({ scanned, asked }: Explained): boolean =>
  scanned.length === 0 && wantedBy(asked)?.bounded !== false;

export function verdict(one: Explained): string {
  const { scanned, sorts } = one;
  if (scanned.length > 0)
    return `no index serves it: every row of ${scanned.join(', ')} is read${sorts ? ', and sorted' : ''}`;
  if (isServed(one)) return 'an index serves it';
  if (sorts) return 'an index finds its rows, but all of them are sorted for each page';
  return 'an index gives the order, but rows are read and tested one by one until a page is full';
}

/** What reads rows, and what sorts them; how a database puts the two together is its own business. */
export const toldOf = (steps: readonly PlanStep[]): PlanStep[] => steps.filter(({ way }) => way !== 'other');
