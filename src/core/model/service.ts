export const storeKinds = ['sqlite', 'postgres', 'mariadb'] as const;

export type StoreKind = (typeof storeKinds)[number];

/** The names of the databases, as people write them. */
export const databaseNames: Readonly<Record<StoreKind, string>> = {
  sqlite: 'SQLite',
  postgres: 'PostgreSQL',
  mariadb: 'MariaDB',
};

/** The kind of database at an address. */
export function kindOfAddress(address: string): StoreKind {
  if (/^(mariadb|mysql):/.test(address)) return 'mariadb';
  return /^postgres(ql)?:/.test(address) ? 'postgres' : 'sqlite';
}

export interface Limits {
  /** Bytes of a request's body. */
  readonly body: number;
  /** Requests of one caller in a minute; undefined where there is no limit. */
  readonly rate?: number;
  /** Failed sign-ins in a minute. */
  readonly signIn: number;
  /** Codes that one address asks for or gets wrong, a minute. */
  readonly codes: number;
  /** Milliseconds. */
  readonly transaction: number;
  readonly read: number;
  /** The most records that one delete may cascade to. */
  readonly cascade: number;
  /** Writers that may wait. */
  readonly queue: number;
  /** Bytes of answers that are kept as long as they are the same. */
  readonly cache: number;
}

/** Databases that follow the one that is written to. */
export interface Replicas {
  readonly addresses: readonly string[];
  /** Milliseconds that one may be behind. */
  readonly lag: number;
}

/** Which pages of other origins may use the service. */
export interface CorsSettings {
  /** Origins and patterns of them; none: no other origin. */
  readonly origins: readonly string[];
  /** Whether pages may send cookies and certificates along. */
  readonly credentials: boolean;
  /** Request headers beside those that the service reads itself. */
  readonly headers: readonly string[];
  /** Headers of answers that pages may read beside the service's own. */
  readonly expose: readonly string[];
  /** Seconds for which a browser need not ask again. */
  readonly maxAge: number;
}

export interface ServiceSettings {
  readonly name: string;
  readonly version: string;
  readonly prefix: string;
  readonly description?: string;
  readonly contact?: { readonly name?: string; readonly url?: string; readonly email?: string } | undefined;
  readonly license?: { readonly name: string; readonly url?: string } | undefined;
  readonly termsOfService?: string | undefined;
  /** The addresses of the service; may be empty. */
  readonly servers: readonly { readonly url: string; readonly description?: string }[];
  /** The first signs; signatures of the others stay valid. Empty if the project's own key is used. */
  readonly keys: readonly string[];
  readonly store?: string;
  /** Those that answer reads as well. */
  readonly replicas: Replicas | undefined;
  readonly stores: readonly StoreKind[];
  /** Whether the tables were there before the models, and are not the tool's to change. */
  readonly isTheirs: boolean;
  /** Whether they were there before the models, and became the tool's own. */
  readonly isTakenOver: boolean;
  readonly paging: { readonly default: number; readonly most: number };
  readonly limits: Limits;
  readonly cors: CorsSettings;
  readonly proxies: readonly string[];
  /** The address of what counts limits over all instances; undefined where each counts for itself. */
  readonly shared: string | undefined;
  /** Where metrics are, if not beside everything else. */
  readonly metricsPort: number | undefined;
  /** Whom the console lets in where others than this machine are served; undefined where it is not there. */
  readonly consoleRole: string | undefined;
}
