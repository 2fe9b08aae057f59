import type { Trace } from '../core/api/message.ts';
import type { ServiceLog } from '../core/change/scope.ts';
import { pino } from 'pino';
import type { Logger } from 'pino';

/** Defects, and what a project's own code has to say, as JSON lines on standard error. */
export const makeLog = (): Logger => pino({ level: 'info' }, pino.destination({ dest: 2, sync: true }));

/** The members of a line that belongs to a trace, as OpenTelemetry names them in logs of other formats. */
export const traceMembers = ({ id, span }: Trace): object => ({ trace_id: id, span_id: span });

/** The log as hooks and operations have it: a message, and what it is about. */
export const codeLog = (log: Logger): ServiceLog => ({
  within: (trace) => codeLog(log.child(traceMembers(trace))),
  info: (message, details = {}) => log.info(details, message),
  warn: (message, details = {}) => log.warn(details, message),
  error: (message, details = {}) => log.error(details, message),
});
