import { randomBytes } from 'node:crypto';
import type { Request, Trace } from '../api/message.ts';

/** Version, trace, the caller's part, flags; versions to come may add more (W3C Trace Context, 3.2). */
const TRACEPARENT = /^(?!ff)([0-9a-f]{2})-(?!0{32})([0-9a-f]{32})-(?!0{16})[0-9a-f]{16}-([0-9a-f]{2})(-.*)?$/;
/** Characters of a tracestate that are sent on. */
const LONGEST_STATE = 512;

/** Where an SDK stands, as OpenTelemetry has it. */
export interface SpanPlace {
  readonly traceId: string;
  readonly spanId: string;
  readonly traceFlags: number;
  readonly traceState?: { serialize(): string } | undefined;
}

/**
 * The trace that a request belongs to: that of the SDK, if one is at work, or its caller's, or where it names none, or
 * none that is well-formed, a new one.
 */
export function traceOf(headers: Request['headers'], active: SpanPlace | undefined): Trace {
  if (active !== undefined)
    return inTrace(active.traceId, active.spanId, flagsText(active.traceFlags), active.traceState?.serialize());
  const { traceparent, tracestate } = headers;
  const [, version, id, flags, more] = TRACEPARENT.exec(String(traceparent)) ?? [];
  if (id === undefined || (version === '00' && more !== undefined)) return inTrace(hex(16), hex(8), '00');
  return inTrace(id, hex(8), flags!, tracestate === undefined ? undefined : String(tracestate));
}

function inTrace(id: string, span: string, flags: string, tracestate = ''): Trace {
  const traceparent = `00-${id}-${span}-${flags}`;
  const isSentOn = tracestate !== '' && tracestate.length <= LONGEST_STATE;
  return { id, span, headers: isSentOn ? { traceparent, tracestate } : { traceparent } };
}

const flagsText = (flags: number): string => flags.toString(16).padStart(2, '0');

const hex = (bytes: number): string => randomBytes(bytes).toString('hex');
