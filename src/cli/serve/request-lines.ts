import { statementsOf } from '../../project/observed.ts';
import type { Exchange } from '../../project/observed.ts';
import { isBorder } from '../../store/traced.ts';
import { rowsText, statusColor } from '../terminal/exchange.ts';
import { counted } from '../terminal/terminal.ts';
import type { Terminal } from '../terminal/terminal.ts';
import { wrap } from '../terminal/wrap.ts';

type Tint = Terminal['tint'];

/** A request as logs have it. */
export const requestRecord = (exchange: Exchange): object => ({
  method: exchange.method,
  path: pathOf(exchange.target),
  status: exchange.status,
  milliseconds: round(exchange.milliseconds),
  statements: statementsOf(exchange).length,
});

/** `14:02:11  GET     /v1/huts?limit=2  200  3.1 ms  1 statement`, and where it is traced the statements below. */
export function exchangeText(exchange: Exchange, tint: Tint, trace: boolean, at = new Date()): string {
  const { method, target, status, milliseconds, asked } = exchange;
  const line = [
    tint.dim(at.toTimeString().slice(0, 8)),
    method.padEnd(6),
    shownTarget(target, status, trace).padEnd(40),
    statusColor(status, tint)(String(status)),
    `${round(milliseconds)} ms`.padStart(9),
    tint.dim(counted(statementsOf(exchange).length, 'statement')),
  ].join('  ');
  if (!trace) return line;
  return [
    line,
    ...asked.map((one) => {
      const rows = isBorder(one) ? '' : rowsText(one);
      const begins = `${`${round(one.milliseconds)} ms`.padStart(12)}  ${rows.padEnd(8)}  `;
      return tint.dim(begins) + hanging(one.statement.sql, begins.length);
    }),
  ].join('\n');
}

/** A long text on a terminal, each of its lines as far in as the first. */
function hanging(text: string, before: number): string {
  const width = (process.stderr.columns ?? Infinity) - before;
  if (text.length <= width || width < 40) return text;
  return wrap(text, width).join(`\n${' '.repeat(before)}`);
}

const pathOf = (target: string): string => target.split('?')[0]!;

/**
 * A query may hold anything that somebody has put there by mistake, their passphrase among it: a trace alone shows it,
 * and only where the service took it, because it takes no secrets there.
 */
const shownTarget = (target: string, status: number, trace: boolean): string =>
  trace && status < 400 ? target : pathOf(target) + (target.includes('?') ? '?…' : '');

const round = (milliseconds: number): number => Number(milliseconds.toFixed(milliseconds < 10 ? 1 : 0));
