import { describe } from '../text/value.ts';
import type { Answer, Fault } from './answer.ts';
import type { Expectation } from './case.ts';
import { withKept } from './kept.ts';

/** Compares an answer with what was expected; an empty list where all is well. */
export function judge(expect: Expectation, answer: Answer, kept: ReadonlyMap<string, unknown>): Fault[] {
  const faults: Fault[] = [];
  const fault = (what: string, expected: unknown, got: unknown): number =>
    faults.push({ what, expected: shown(expected), got: shown(got) });
  const body = (answer.body ?? {}) as { data?: unknown; errors?: { rule?: string; pointer?: string }[] };

  const statuses = expect.statuses ?? [expect.status];
  if (!statuses.includes(answer.status)) fault('status', statuses.length === 1 ? statuses[0] : statuses, answer.status);
  if (expect.data !== undefined && answer.status === expect.status) {
    const data = (body.data ?? {}) as Record<string, unknown>;
    for (const [member, value] of Object.entries(withKept(expect.data, kept) as Record<string, unknown>)) {
      if (JSON.stringify(data[member]) !== JSON.stringify(value)) fault(`data.${member}`, value, data[member]);
    }
  }
  if (expect.length !== undefined) {
    const length = Array.isArray(body.data) ? body.data.length : undefined;
    if (length !== expect.length) fault('the number of records', expect.length, length);
  }
  if (expect.error !== undefined && answer.status === expect.status) {
    const { rule, pointer } = expect.error;
    const found = body.errors?.some((error) => error.rule === rule && error.pointer === pointer);
    if (found !== true) fault('an error', expect.error, body.errors);
  }
  if (expect.location !== undefined && answer.headers.location?.startsWith(`${expect.location}/`) !== true) {
    fault('Location', `${expect.location}/…`, answer.headers.location);
  }
  if (faults.length === 0) faults.push(...(expect.check?.(answer, kept) ?? []));
  return faults;
}

/** A fault with both sides as text. */
export const faultOf = (what: string, expected: unknown, got: unknown): Fault => ({
  what,
  expected: shown(expected),
  got: shown(got),
});

/** A fault where two are not the same to the last member. */
export const sameAs = (what: string, wanted: unknown, got: unknown): Fault[] =>
  JSON.stringify(wanted) === JSON.stringify(got) ? [] : [faultOf(what, wanted, got)];

function shown(value: unknown): string {
  if (value === undefined) return describe(value);
  const text = JSON.stringify(value);
  return text.length > 200 ? `${text.slice(0, 197)}…` : text;
}
