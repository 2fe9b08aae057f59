// The running record: each request that the page has sent, with its answer.
import { signal } from '@preact/signals';
import { call } from './wire.ts';
import type { Answer, Sent } from './wire.ts';

export interface Entry {
  readonly sent: Sent;
  readonly answer: Answer;
  /** The answer's body, where it is JSON. */
  readonly value: unknown;
}

const MOST = 200;

/** The latest first. */
export const trail = signal<readonly Entry[]>([]);
/** Those that are to be kept as a trial, by their numbers. */
export const chosen = signal<ReadonlySet<number>>(new Set());

/** Sends a request, and records it. `quiet` ones, of which the page sends many, are not recorded. */
export async function ask(sent: Sent, quiet = false): Promise<Entry> {
  const answer = await call<Answer>('ask', sent);
  const entry: Entry = { sent, answer, value: parsed(answer.body) };
  if (!quiet) trail.value = [entry, ...trail.value].slice(0, MOST);
  return entry;
}

function parsed(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}

export interface Fault {
  readonly pointer?: string;
  readonly parameter?: string;
  readonly detail: string;
}

/** What an answer says went wrong. */
export function faultsOf({ value }: Entry): { text: string; faults: readonly Fault[] } {
  const {
    title = '',
    detail = '',
    errors = [],
  } = (value ?? {}) as {
    title?: string;
    detail?: string;
    errors?: readonly Fault[];
  };
  return { text: detail === '' ? title : detail, faults: errors };
}
