import { HttpProblem } from '../api/problems.ts';
import type { Send } from '../identity/messenger.ts';
import { StoreError } from '../store/contract.ts';
import type { Hooks } from './hooks.ts';
import type { OperationCode } from './operation.ts';

/** The code of a project, loaded: by the names of models, and of operations, as `hut.book`. */
export interface Code {
  readonly hooks: ReadonlyMap<string, Hooks['handlers']>;
  readonly operations: ReadonlyMap<string, OperationCode>;
  /** Sends messages to callers; undefined where the project leaves that to the tool. */
  readonly send?: Send | undefined;
}

export const noCode: Code = { hooks: new Map(), operations: new Map() };

/** An error of the project's own code: logged, and never shown to a client. */
export class CodeError extends Error {
  constructor(where: string, what: string, cause?: unknown) {
    super(`${where}: ${what}`, { cause });
    this.name = 'CodeError';
  }
}

/**
 * An error of a project's code: refusals and database errors pass through, because they have answers of their own.
 */
export function blamed(error: unknown, where: string): unknown {
  if (error instanceof HttpProblem || error instanceof StoreError || error instanceof CodeError) return error;
  // It may throw errors of another realm.
  const { message } = (error ?? {}) as { message?: unknown };
  return new CodeError(where, typeof message === 'string' ? message : `threw ${String(error)}`, error);
}
