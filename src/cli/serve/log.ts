import type { Trace } from '../../core/api/message.ts';
import type { Log, ServiceLog } from '../../core/change/scope.ts';
import { codeLog, makeLog, traceMembers } from '../../server/log.ts';
import type { Exchange } from '../../project/observed.ts';
import type { Context } from '../command.ts';
import { faultText } from '../fault-text.ts';
import { exchangeText, requestRecord } from './request-lines.ts';

/** Where a service speaks of what happens in it. */
export interface ServeLog {
  /** What the project's own code has to say. */
  readonly code: ServiceLog;
  defect(error: unknown, request: string, trace?: Trace): void;
  request(exchange: Exchange): void;
}

/** Lines of text at a terminal, lines of JSON elsewhere. A trace is always text. */
export function serveLog(context: Context, trace: boolean): ServeLog {
  const { terminal } = context;
  const isTerminal = process.stderr.isTTY;
  const json = isTerminal ? undefined : makeLog();
  const write = gathered((text) => terminal.say(text));
  const spoken =
    (level: string): Log['info'] =>
    (message, details) =>
      write(
        `${terminal.tint.cyan(level)} ` +
          `${message}${details === undefined ? '' : ` ${terminal.tint.dim(JSON.stringify(details))}`}`,
      );
  return {
    code: json === undefined ? { info: spoken('info'), warn: spoken('warn'), error: spoken('error') } : codeLog(json),
    defect(error, request, trace) {
      if (json === undefined) terminal.warn(`${faultText(error, context)}\n  request ${request}`);
      else json.error({ err: error, request, ...(trace && traceMembers(trace)) });
    },
    request(exchange) {
      if (json === undefined || trace) write(exchangeText(exchange, terminal.tint, trace));
      else json.info({ ...requestRecord(exchange), ...(exchange.trace && traceMembers(exchange.trace)) }, 'request');
    },
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
