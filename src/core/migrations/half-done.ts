import type { HalfDone, Store } from '../store/contract.ts';
import type { Migration } from './migration.ts';
import { SchemaMismatch } from './schema-mismatch.ts';

// Where every statement on tables is kept by itself, a migration may be broken off.

const [FORWARD, BACK] = [' forward', ' back'];

/** What a script is called by where it may be broken off. */
export const forwardName = ({ name }: Migration): string => name + FORWARD;
export const backName = ({ name }: Migration): string => name + BACK;

/** Whether it is the way back of a migration: an undo goes on with it. */
export const isWayBack = ({ name }: HalfDone): boolean => name.endsWith(BACK);

/** Whether there is only the way back. */
export const isGoingBack = (half: HalfDone): boolean => half.isBack || isWayBack(half);

/** The migration that a script is of. */
export const migrationOf = ({ name }: Pick<HalfDone, 'name'>): string =>
  [FORWARD, BACK].reduce((rest, end) => (rest.endsWith(end) ? rest.slice(0, -end.length) : rest), name);

export const halfDoneIn = (store: Store): Promise<HalfDone | undefined> =>
  store.alter((alteration) => alteration.halfDone());

/** `half done: 3 of 7 statements stand`. */
export const halfDoneText = (half: HalfDone): string =>
  `half ${isGoingBack(half) ? 'taken back' : 'done'}: ${half.done} of ${half.of} statements stand`;

export const halfDoneRemedy = (half: HalfDone): string =>
  isGoingBack(half)
    ? 'vantfell migrate undo goes on with it'
    : 'vantfell migrate run goes on with it, vantfell migrate undo takes it back';

/** Throws where a migration is half done: no version of the project knows such tables. */
export function refuseHalfDone(half: HalfDone | undefined, address: string): void {
  if (half === undefined) return;
  const message = `the database ${address} can not be used: ${migrationOf(half)} is ${halfDoneText(half)}`;
  throw new SchemaMismatch(message, halfDoneRemedy(half));
}
