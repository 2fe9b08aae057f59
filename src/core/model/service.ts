export type StoreKind = 'sqlite' | 'postgres';

export interface Limits {
  /** Bytes of a request's body. */
  readonly body: number;
  /** Requests of one caller in a minute; undefined where there is no limit. */
  readonly rate?: number;
  /** Failed sign-ins in a minute. */
  readonly signIn: number;
  /** Milliseconds. */
  readonly transaction: number;
  readonly read: number;
  /** Records that one delete may take along. */
  readonly cascade: number;
  /** Writers that may wait. */
  readonly queue: number;
}

export interface ServiceSettings {
  readonly name: string;
  readonly version: string;
  readonly prefix: string;
  readonly description?: string;
  /** Where it can be reached; none where it says nothing. */
  readonly servers: readonly { readonly url: string; readonly description?: string }[];
  /** The first signs; what the others signed is still known. None where one is kept for the project. */
  readonly keys: readonly string[];
  readonly store?: string;
  readonly stores: readonly StoreKind[];
  readonly paging: { readonly default: number; readonly most: number };
  readonly limits: Limits;
  readonly origins: readonly string[];
  readonly proxies: readonly string[];
}
