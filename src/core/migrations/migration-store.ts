import type { Reader, Store, Transaction } from '../store/contract.ts';
import { migrationsTable, stateTable } from '../tables/own-tables.ts';
import type { Table } from '../tables/table.ts';
import type { Ran } from './migration.ts';

/** What the tool records in a database about its tables. */
export interface MigrationStore {
  history(reader: Reader): Promise<Ran[]>;
  note(transaction: Transaction, ran: Ran): Promise<void>;
  forget(transaction: Transaction, name: string): Promise<void>;
  /** The current tables, if they follow the models without migrations. */
  snapshot(reader: Reader): Promise<Table[] | undefined>;
  keepSnapshot(transaction: Transaction, tables: readonly Table[] | undefined): Promise<void>;
  /** The tables that a script is about to make that follows the models. */
  next(reader: Reader): Promise<Table[] | undefined>;
  keepNext(transaction: Transaction, tables: readonly Table[]): Promise<void>;
  /** The migration that was drafted from that snapshot in this database. */
  drafted(reader: Reader): Promise<string | undefined>;
  keepDrafted(transaction: Transaction, name: string): Promise<void>;
}

/** Where the tables stand that are about to be made. */
const NEXT = 'next tables';

/** What stands in the table of states before the name of a migration that services of the version before go on with. */
const BESIDE = 'services go on: ';

export function migrationStoreOf({ dialect: { name, placeholder } }: Pick<Store, 'dialect'>): MigrationStore {
  const columns = migrationsTable.columns.map((column) => name(column.name)).join(', ');
  const migrations = name(migrationsTable.name);
  const state = name(stateTable.name);
  const places = (count: number): string =>
    Array.from({ length: count }, (_none, at) => placeholder(at + 1)).join(', ');
  const all = { sql: `SELECT ${columns} FROM ${migrations} ORDER BY ${name('number')}` };
  const insert = { sql: `INSERT INTO ${migrations} (${columns}) VALUES (${places(5)})` };
  const beside = {
    sql: `SELECT ${name('name')} FROM ${state} WHERE substr(${name('name')}, 1, ${BESIDE.length}) = '${BESIDE}'`,
  };
  const remove = { sql: `DELETE FROM ${migrations} WHERE ${name('name')} = ${placeholder(1)}` };
  const read = { sql: `SELECT ${name('value')} FROM ${state} WHERE ${name('name')} = ${placeholder(1)}` };
  const clear = { sql: `DELETE FROM ${state} WHERE ${name('name')} = ${placeholder(1)}` };
  const write = { sql: `INSERT INTO ${state} (${name('name')}, ${name('value')}) VALUES (${places(2)})` };
  const tablesIn = async (reader: Reader, of: string): Promise<Table[] | undefined> => {
    const row = await reader.first(read, [of]);
    return row === undefined ? undefined : (JSON.parse(String(row[0])) as Table[]);
  };
  return {
    async history(reader) {
      const rows = await reader.all(all, []);
      const goOn = new Set((await reader.all(beside, [])).map(([marked]) => String(marked).slice(BESIDE.length)));
      return rows.map(([number, called, batch, ranAt, checksum]) => ({
        number: Number(number),
        name: String(called),
        batch: Number(batch),
        ranAt: String(ranAt),
        checksum: String(checksum),
        servicesGoOn: goOn.has(String(called)),
      }));
    },
    async note(transaction, { number, name: called, batch, ranAt, checksum, servicesGoOn }) {
      await transaction.run(insert, [number, called, batch, ranAt, checksum]);
      if (servicesGoOn) await transaction.run(write, [BESIDE + called, 'true']);
    },
    async forget(transaction, called) {
      await transaction.run(remove, [called]);
      await transaction.run(clear, [BESIDE + called]);
    },
    snapshot: (reader) => tablesIn(reader, 'tables'),
    next: (reader) => tablesIn(reader, NEXT),
    async keepNext(transaction, tables) {
      await transaction.run(clear, [NEXT]);
      await transaction.run(write, [NEXT, JSON.stringify(tables)]);
    },
    async keepSnapshot(transaction, tables) {
      for (const row of ['tables', 'drafted', NEXT]) await transaction.run(clear, [row]);
      if (tables !== undefined) await transaction.run(write, ['tables', JSON.stringify(tables)]);
    },
    async drafted(reader) {
      const row = await reader.first(read, ['drafted']);
      return row === undefined ? undefined : String(row[0]);
    },
    async keepDrafted(transaction, called) {
      await transaction.run(clear, ['drafted']);
      await transaction.run(write, ['drafted', called]);
    },
  };
}
