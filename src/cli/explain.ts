import type { IndexAdvice, Wanted } from '../core/query/index-advice.ts';
import type { ListStatement } from '../core/query/list-statement.ts';
import { EXIT } from '../project/failure.ts';
import type { Plan, PlanStep } from '../store/base/plan.ts';
import type { TracedStatement } from '../store/traced.ts';
import { requestOptions } from './ask/options.ts';
import type { Command, Context } from './command.ts';
import type { Terminal } from './terminal/terminal.ts';

/** What is shown of one statement. */
interface Explained {
  readonly asked: TracedStatement;
  readonly plan: Plan;
  /** The tables that it goes through row by row, however many rows they have; and whether it sorts what it found. */
  readonly scanned: readonly string[];
  readonly sorts: boolean;
  readonly advice?: { readonly model: string; readonly advice: IndexAdvice } | undefined;
}

export const explain: Command = {
  usage: 'explain <method> <path> [body]',
  about: 'The SQL of a request, how the database goes about it, and the index that would help',
  examples: [
    ["vantfell explain GET '/v1/huts?valley=Askdal&sort=beds'", 'a list'],
    ["vantfell explain GET '/v1/huts/{id}'", 'with some record'],
    ["vantfell explain PATCH '/v1/huts/{hut/grey-hut}' '{\"beds\": 38}' --as ines", 'a write, which is taken back'],
  ],
  options: requestOptions,

  async run(context, given) {
    const { openSession } = await import('./ask/session.ts');
    const { statusText } = await import('./ask/request.ts');
    const { isBorder } = await import('../store/traced.ts');
    const { planOf } = await import('../store/plan-of.ts');
    const { indexAdvice } = await import('../core/query/index-advice.ts');
    const { sentRequest, readRequestOptions } = await import('./ask/request-options.ts');
    const written = readRequestOptions(given);
    const session = await openSession(context, { lasting: false });
    try {
      const { graph } = session.project;
      const sent = await sentRequest(session, written);
      const { method, target } = sent;
      const { reply, exchange } = await session.ask(sent);
      const explained: Explained[] = [];
      for (const asked of exchange.asked.filter((one) => !isBorder(one) && one.rows !== undefined)) {
        const plan = await planOf(session.store, asked.statement, asked.values);
        const wanted = wantedBy(asked);
        explained.push(explainedOf(asked, plan, wanted && indexAdvice(graph, wanted)));
      }
      context.terminal.value({
        method,
        target,
        status: reply.status,
        statements: explained.map((one) => valueOf(one)),
      });
      context.terminal.show(`${context.terminal.paint.bold(`${method} ${target}`)}  ${statusText(reply.status)}`);
      await show(context, explained, session.store.kind);
      if (reply.status < 400) return EXIT.done;
      const { detail = '', title = '' } = JSON.parse(reply.body ?? '{}') as { detail?: string; title?: string };
      context.terminal.warn(
        `the service refuses this request, so that there is no more to explain: ${detail || title}`,
      );
      return EXIT.foundWrong;
    } finally {
      await session.close();
    }
  },
};

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
const isServed = ({ scanned, asked }: Explained): boolean => scanned.length === 0 && wantedBy(asked)?.bounded !== false;

function verdict(one: Explained): string {
  const { scanned, sorts } = one;
  if (scanned.length > 0)
    return `no index serves it: every row of ${scanned.join(', ')} is read${sorts ? ', and sorted' : ''}`;
  if (isServed(one)) return 'an index serves it';
  if (sorts) return 'an index finds its rows, but all of them are sorted for each page';
  return 'an index gives the order, but rows are read and tested one by one until a page is full';
}

const valueOf = (one: Explained): unknown => ({
  sql: one.asked.statement.sql,
  verdict: verdict(one),
  served: isServed(one),
  plan: toldOf(one.plan.now),
  add: one.advice?.advice.index === undefined ? null : { model: one.advice.model, index: one.advice.advice.index },
  but: one.advice?.advice.but ?? [],
});

async function show({ terminal }: Context, explained: readonly Explained[], kind: string): Promise<void> {
  const { sqlText } = await import('./ask/sql-text.ts');
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

/** What reads rows, and what sorts them; how a database puts the two together is its own business. */
const toldOf = (steps: readonly PlanStep[]): PlanStep[] => steps.filter(({ way }) => way !== 'other');

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
