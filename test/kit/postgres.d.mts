/** A PostgreSQL of the tests' own, or the one that `VANTFELL_TEST_POSTGRES` names. */
export interface TestPostgres {
  /** Of its administrator, without a database. */
  readonly url: string;
  stop(): Promise<void>;
}

export function startPostgres(): Promise<TestPostgres>;

/** A new database on the server, and how to reach it. */
export function newDatabase(server: TestPostgres, name: string): Promise<string>;

/** A port on loopback that nothing listens at. */
export function freePort(): Promise<number>;
