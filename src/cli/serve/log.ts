import type { Log } from '../../core/change/scope.ts';
import { codeLog, makeLog } from '../../server/log.ts';
import type { Exchange } from '../../project/observed.ts';
import type { Context } from '../command.ts';
import { faultText } from '../fault-text.ts';
import { exchangeText, requestRecord } from './request-lines.ts';

/** Where a service speaks of what happens in it. */
export interface ServeLog {
  /** What the project's own code has to say. */
  readonly code: Log;
  defect(error: unknown, request: string): void;
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
    defect(error, request) {
      if (json === undefined) terminal.warn(`${faultText(error, context)}\n  request ${request}`);
      else json.error({ err: error, request });
    },
    request(exchange) {
      if (json === undefined || trace) write(exchangeText(exchange, terminal.tint, trace));
      else json.info(requestRecord(exchange), 'request');
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
