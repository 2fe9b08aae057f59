import type { Trace } from '../api/message.ts';
import type { Scalar } from '../model/scalar.ts';
import type { Values } from '../rules/schema.ts';
import { StoreError } from '../store/contract.ts';
import type { FindOptions, Where } from './find.ts';
import type { CodeCaller } from './for-code.ts';

/** Lines for the log of the service. */
export interface Log {
  info(message: string, details?: object): void;
  warn(message: string, details?: object): void;
  error(message: string, details?: object): void;
}

/** A log whose lines can say which trace they belong to. */
export interface ServiceLog extends Log {
  within?(trace: Trace): Log;
}

/** A refusal by the project's own code. */
export interface RefuseOptions {
  /** 400 to 499; 422 where it is left out. */
  readonly status?: number;
  /** The name of the rule that was broken. */
  readonly rule?: string;
  /** The place in the body (RFC 6901). */
  readonly pointer?: string;
}

/** The only way from a project's code to its data. It is bound to one transaction, and fails after its end. */
export interface Scope {
  readonly caller: CodeCaller | null;
  /** The time of this transaction's writes. */
  readonly now: Date;
  /** Aborted when the time of the transaction is up. */
  readonly signal: AbortSignal;
  readonly log: Log;
  /** Where the request stands in its trace (W3C Trace Context); null where there is none, as in scripts and trials. */
  readonly trace: Trace | null;
  model(name: string): ScopeModel;
  /** Rolls the transaction back, and answers with this problem. */
  refuse(detail: string, options?: RefuseOptions): never;
}

/** The records of one model. Writes apply rules, hooks, draws and the journal, and check no grants. */
export interface ScopeModel {
  /** All records, or those with these values, or for which a condition in CQL2 is true. */
  find(where?: Where, options?: FindOptions): Promise<Values[]>;
  /** The first of them. */
  first(where?: Where, options?: FindOptions): Promise<Values | undefined>;
  /** The record with a key; if there is none, the request is answered with 404. */
  get(key: Scalar): Promise<Values>;
  /** The same, and nobody else changes it until the transaction ends. */
  lock(key: Scalar): Promise<Values>;
  count(where?: Where): Promise<number>;
  create(values: Values): Promise<Values>;
  update(key: Scalar, values: Values): Promise<Values>;
  delete(key: Scalar): Promise<void>;
}

/** A scope's store for operations that only read. */
export const refuseWrites = (): Promise<never> =>
  Promise.reject(new StoreError({ kind: 'defect' }, 'an operation that reads can not write', 'leave out `reads`'));
