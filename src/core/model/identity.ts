import type { Field } from './field.ts';

/** Who may sign in, and how. */
export interface Identity {
  readonly model: string;
  /** The fields that a caller signs in with; undefined where an outside issuer does it. */
  readonly login?: Field;
  readonly secret?: Field;
  readonly secrets: SecretSettings;
  /** Undefined where no codes are sent. */
  readonly codes?: CodeSettings | undefined;
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

/** What a new secret takes. */
export interface SecretSettings {
  /** Whether whoever sets their own gives the old one with it. */
  readonly wantsOld: boolean;
  /** Whether none may be its own login, or one of the most common. */
  readonly refusesLogin: boolean;
  readonly refusesCommon: boolean;
}

/** What a code that is sent does: it proves an address, or sets a new secret. */
export type CodeKind = 'verify' | 'reset';

export interface CodeSettings {
  /** The field with the address that they are sent to. */
  readonly to: Field;
  /** Seconds for which a code of each kind is good; undefined where there are none of it. */
  readonly verify: number | undefined;
  readonly reset: number | undefined;
  /** The page that a message leads to: `{code}` and `{kind}` stand in it. */
  readonly link: string | undefined;
}
