import type { Answer } from '../answer.ts';
import type { Row } from './world-state.ts';

/** Tags as the service makes them. */
export const TAG = /^"[0-9a-f]{24}-[0-9a-f]{24}"$/;

/** The state that a tag names: its first half. */
export const stateIn = (tag: string): string => tag.replace(/^(W\/)?"/, '').split('-')[0]!;

/** Notes which state of a record an answer has named. */
export function learnTag(tags: Map<string, string>, row: Row, { headers }: Answer): void {
  const tag = headers.etag;
  if (tag !== undefined) tags.set(stateIn(tag), JSON.stringify(row));
}
