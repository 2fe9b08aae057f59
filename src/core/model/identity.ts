import type { Field } from './field.ts';

/** Who may sign in, and how. */
export interface Identity {
  readonly model: string;
  /** The fields that a caller signs in with; undefined where an outside issuer does it. */
  readonly login?: Field;
  readonly secret?: Field;
  /** The field that equals the `sub` of an outside issuer's tokens. */
  readonly subject?: Field;
  readonly roles?: Field;
  /** The names of all roles; undefined where any text may be one. */
  readonly roleNames?: readonly string[];
  /** Seconds. */
  readonly lifetime: number;
  /** Seconds for which a refresh token is good; undefined where there are none, and no sessions. */
  readonly refresh?: number | undefined;
  readonly issuer?: {
    readonly jwks: string;
    readonly issuer: string;
    readonly audience: string;
    /** Which claim each field of a new record takes; undefined where unknown callers are refused. */
    readonly create?: ReadonlyMap<Field, string>;
  };
}
