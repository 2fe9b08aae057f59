import type { PlanStep } from '../../store/base/plan.ts';
import type { Context } from '../command.ts';
import type { Terminal } from '../terminal/terminal.ts';
import { isServed, toldOf, verdict } from './explained.ts';
import type { Explained } from './explained.ts';
import { sqlText } from './sql-text.ts';

export const explainedValue = (one: Explained): unknown => ({
  sql: one.asked.statement.sql,
  verdict: verdict(one),
  served: isServed(one),
  plan: toldOf(one.plan.now),
  add: one.advice?.advice.index === undefined ? null : { model: one.advice.model, index: one.advice.advice.index },
  but: one.advice?.advice.but ?? [],
});

export function showExplained({ terminal }: Context, explained: readonly Explained[], kind: string): void {
  const { paint } = terminal;
  const { bold, dim, green, yellow } = paint;
  if (explained.length === 0) terminal.show(dim('\nthe database is not asked'));
  explained.forEach((one, at) => {
    const { statement, milliseconds, rows } = one.asked;
    terminal.show(
      `\n${bold(`statement ${at + 1} of ${explained.length}`)}  ${dim(`${milliseconds.toFixed(1)} ms, rows: ${rows}`)}`,
    );
    terminal.show(sqlText(statement.sql, kind).replace(/^/gm, '  '));
    terminal.show(`${dim('plan')}\n${planText(one.plan.now, paint)}`);
    if (planText(one.plan.now, paint) !== planText(one.plan.large, paint)) {
      terminal.show(`${dim('plan, once there are many rows')}\n${planText(one.plan.large, paint)}`);
    }
    terminal.show(`${isServed(one) ? green('✓') : yellow('!')} ${verdict(one)}`);
    if (one.advice !== undefined) terminal.show(adviceText(one.advice, paint));
  });
}

function planText(steps: readonly PlanStep[], paint: Terminal['paint']): string {
  const told = toldOf(steps);
  if (told.length === 0) return '  no table is read';
  const lines = told.map(({ way, text }) => (way === 'index' ? `  ${text}` : paint.yellow(`  ${text}`)));
  return [...new Set(lines)].join('\n');
}

function adviceText(
  { model, advice: { index, but } }: NonNullable<Explained['advice']>,
  paint: Terminal['paint'],
): string {
  const reasons = but.map((reason) => `  ${paint.dim('note:')} ${reason}`);
  if (index === undefined) return reasons.join('\n');
  const entry = `index: [[${index.join(', ')}]]`;
  return [`${paint.cyan('→')} in the model ${model}, add to ${paint.bold(entry)}`, ...reasons].join('\n');
}
