import type { Traced } from '../api/message.ts';
import type { Caller } from '../expression/context.ts';
import type { Reader } from '../store/contract.ts';
import type { Calls, UnitOfWork } from './unit-of-work.ts';

/** What a scope works on. */
export interface Ground {
  readonly caller: Caller | null;
  /** The request that it is done for. */
  readonly request: Traced | undefined;
  now(): Date;
  readonly reader: Reader;
  readonly signal: AbortSignal;
  /** Runs a part of the work that writes, as a whole or not at all. */
  write<Result>(part: (work: UnitOfWork) => Promise<Result>): Promise<Result>;
  /** Where a record can be locked: only inside a transaction. */
  readonly locks?: UnitOfWork;
  /** The calls that are under way. */
  readonly calls: Calls;
}
