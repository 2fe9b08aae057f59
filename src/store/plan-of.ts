import type { Statement, StoreValue } from '../core/sql/statement.ts';
import type { Store } from '../core/store/contract.ts';
import type { Plan } from './base/plan.ts';

/** Asks a store for its plan of a statement, without running it. */
export async function planOf(store: Store, statement: Statement, values: readonly StoreValue[]): Promise<Plan> {
  if (store.kind === 'postgres') return (await import('./postgres/plan.ts')).planOf(store, statement, values);
  if (store.kind === 'mariadb') return (await import('./mariadb/plan.ts')).planOf(store, statement, values);
  return (await import('./sqlite/plan.ts')).planOf(store, statement, values);
}
