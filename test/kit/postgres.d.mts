/** A PostgreSQL of the tests' own, or the one that `VANTFELL_TEST_POSTGRES` names. */
export interface TestPostgres {
  /** Of its administrator, without a database. */
  readonly url: string;
  stop(): Promise<void>;
}

export function startPostgres(): Promise<TestPostgres>;

/** The files of a new PostgreSQL, in a temporary folder. */
export interface Cluster {
  readonly folder: string;
  readonly native: string;
  readonly data: string;
  readonly options: { readonly uid?: number; readonly gid?: number; readonly cwd: string };
  remove(): void;
}

export function newCluster(): Promise<Cluster>;

/** A running server. */
export interface ClusterServer {
  readonly pid: number;
  /** SIGINT ends it in order, SIGQUIT at once. */
  stop(signal: NodeJS.Signals): Promise<void>;
}

/** Runs a server on the files in a folder. */
export function runServer(
  cluster: Cluster,
  data: string,
  port: number,
  more?: Readonly<Record<string, string>>,
): Promise<ClusterServer>;

/** A new database on the server, and how to reach it. */
export function newDatabase(server: TestPostgres, name: string): Promise<string>;

/** A port on loopback that nothing listens at. */
export function freePort(): Promise<number>;
