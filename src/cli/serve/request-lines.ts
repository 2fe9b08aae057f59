import type { Logger } from 'pino';
import { statementsOf } from '../../project/observed.ts';
import type { Exchange } from '../../project/observed.ts';
import { isBorder } from '../../store/traced.ts';
import { counted } from '../terminal/terminal.ts';
import type { Terminal } from '../terminal/terminal.ts';

type Tint = Terminal['tint'];

/** A line for each request: for a person at a terminal, or, where there is none, a line of JSON for those who collect them. */
export function requestLines(terminal: Terminal, log: Logger, trace: boolean): (exchange: Exchange) => void {
  if (process.stderr.isTTY || trace) {
    const write = gathered((text) => terminal.say(text));
    return (exchange) => write(exchangeText(exchange, terminal.tint, trace));
  }
  return (exchange) => {
    const { method, target, status, milliseconds } = exchange;
    const statements = statementsOf(exchange).length;
    log.info({ method, path: pathOf(target), status, milliseconds: round(milliseconds), statements }, 'request');
  };
}

/** What is written while one request is answered goes out at once: a busy service is not held up by each line. */
function gathered(write: (text: string) => void): (text: string) => void {
  let lines: string[] = [];
  return (text) => {
    if (lines.length === 0) setImmediate(() => (write(lines.join('\n')), (lines = [])));
    lines.push(text);
  };
}

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
      const rows = isBorder(one) ? '' : one.rows === undefined ? 'failed' : counted(one.rows, 'row');
      return tint.dim(`${`${round(one.milliseconds)} ms`.padStart(12)}  ${rows.padEnd(8)}  `) + one.statement.sql;
    }),
  ].join('\n');
}

const statusColor = (status: number, tint: Tint): ((text: string) => string) =>
  status >= 500 ? tint.red : status >= 400 ? tint.yellow : tint.green;

const pathOf = (target: string): string => target.split('?')[0]!;

/**
 * A query may hold anything that somebody has put there by mistake, their passphrase among it: a trace alone shows it,
 * and only where the service took it, because it takes no secrets there.
 */
const shownTarget = (target: string, status: number, trace: boolean): string =>
  trace && status < 400 ? target : pathOf(target) + (target.includes('?') ? '?…' : '');

const round = (milliseconds: number): number => Number(milliseconds.toFixed(milliseconds < 10 ? 1 : 0));
