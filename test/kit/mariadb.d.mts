export interface TestMariadb {
  readonly url: string;
  stop(): Promise<void>;
}

export const hasMariadb: boolean;
export function startMariadb(): Promise<TestMariadb>;
export function sharedMariadb(): Promise<TestMariadb> | TestMariadb;
export function newMariadb(server: TestMariadb, name: string): Promise<string>;
