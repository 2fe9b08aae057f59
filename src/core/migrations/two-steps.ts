import { diffSchemas } from '../tables/schema-diff.ts';
import type { Decisions } from '../tables/schema-diff.ts';
import { called } from '../tables/table.ts';
import type { Table } from '../tables/table.ts';
import { indivisible, tablesBetween } from '../tables/two-steps.ts';
import { hasChanges } from './draft.ts';
import type { DraftOf } from './draft.ts';
import { SchemaMismatch } from './schema-mismatch.ts';

export type Step = Pick<DraftOf, 'before' | 'after' | 'decisions' | 'isSecondStep'>;

/**
 * A change as one step that services of the version before go on beside, and one that waits until they have stopped;
 * either may have nothing to do. Throws `SchemaMismatch` if no tables suit both versions.
 */
export function twoSteps(before: readonly Table[], after: readonly Table[], decisions: Decisions): Step[] {
  const plan = diffSchemas(before, after, decisions);
  const [first] = indivisible(plan);
  if (first !== undefined) {
    const message = `${first.subject} can not change in two steps: each version would need it in its own way`;
    throw new SchemaMismatch(message, first.remedy);
  }
  const between = tablesBetween(before, plan);
  const added = new Set([
    ...plan.created.flatMap((table) => table.columns.map((column) => called(table, column))),
    ...plan.changed.flatMap(({ after: table, columns }) =>
      columns.flatMap((change) => (change.before === undefined ? [called(table, change.after!)] : [])),
    ),
  ]);
  const fills = (isFirst: boolean) => new Map([...decisions.fills].filter(([name]) => added.has(name) === isFirst));
  const steps: Step[] = [
    { before, after: between, decisions: { ...decisions, renames: new Map(), fills: fills(true) } },
    { before: between, after, decisions: { ...decisions, fills: fills(false) }, isSecondStep: true },
  ];
  return steps.filter((step) => hasChanges(step.before, step.after, step.decisions));
}
