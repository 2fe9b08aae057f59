import type { Graph, Model, Scalar } from '../model/graph.ts';
import type { ReadBody, Values } from '../rules/schema.ts';
import type { Dialect } from '../store/dialect.ts';
import type { Code } from './code.ts';
import type { Scope } from './scope.ts';
import type { Work } from './work.ts';

/** What a write needs from the world around it. */
export interface Moment {
  now(): Date;
  /** A UUID of version 7. */
  uuid(): string;
  /** So many bytes that nobody can guess. */
  random(bytes: number): Uint8Array;
}

export interface Written {
  readonly key: Scalar;
  /** What answers show of the record, and all that is stored of it where that is more; undefined where it takes a look at them. */
  readonly texts?: { readonly shown: string; readonly stored: string | undefined };
}

/** Called with all that is stored of a record, once it is locked: whoever doesn't like it throws. */
export type Guard = (stored: string) => void;

/** Makes the body of a change, once the record that is changed is known. */
export type BodyOf = (record: Values) => ReadBody | Promise<ReadBody>;

/** The writes of one model. Each is a part of some work, and throws `HttpProblem` where it can't be. */
export interface Changes {
  /** Secrets as their hashes. It takes time, so it is done before a transaction begins. */
  seal(values: Values): Promise<Values>;
  create(work: Work, values: Values): Promise<Written>;
  /** `replace` gives members that the body leaves out their defaults; `update` leaves them as they are. */
  change(work: Work, how: 'replace' | 'update', key: Scalar, body: ReadBody | BodyOf, guard?: Guard): Promise<Written>;
  /** Deletes a record, and all that goes with it. */
  delete(work: Work, key: Scalar, guard?: Guard): Promise<void>;
  /** A record, which nobody else can change until the transaction ends; 404 where there is none. */
  lock(work: Work, key: Scalar, guard?: Guard): Promise<Values>;
  /** What answers show of a record, and all that is stored of it where that is more. */
  shown(work: Work, key: Scalar): Promise<{ readonly shown: string; readonly stored: string | undefined }>;
  /** Deletes a record that nothing goes along with any more. For `cascade.ts`. */
  remove(work: Work, key: Scalar, record: Values): Promise<void>;
}

/** What the writes of all models have in common. */
export interface Writing {
  readonly graph: Graph;
  readonly dialect: Dialect;
  readonly moment: Moment;
  readonly code: Code;
  changesOf(model: Model): Changes;
  scopeOf(work: Work): Scope;
}
