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
  /** The most records that one delete may cascade to. */
  readonly cascade: number;
  /** Writers that may wait. */
  readonly queue: number;
}

export interface ServiceSettings {
  readonly name: string;
  readonly version: string;
  readonly prefix: string;
  readonly description?: string;
  /** The addresses of the service; may be empty. */
  readonly servers: readonly { readonly url: string; readonly description?: string }[];
  /** The first signs; signatures of the others stay valid. Empty if the project's own key is used. */
  readonly keys: readonly string[];
  readonly store?: string;
  readonly stores: readonly StoreKind[];
  readonly paging: { readonly default: number; readonly most: number };
  readonly limits: Limits;
  readonly origins: readonly string[];
  readonly proxies: readonly string[];
}
