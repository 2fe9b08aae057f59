import type { Scalar } from '../model/scalar.ts';

/** Who asks for something. */
export interface Caller {
  /** The key of their record. */
  readonly key: Scalar;
  readonly roles: readonly string[];
}

/** The time and the caller of a request: what expressions can use besides the record. */
export interface EvaluationContext {
  readonly now: Date;
  /** Null for anonymous callers and for the service itself. */
  readonly caller: Caller | null;
}
