import type { Scalar } from '../model/scalar.ts';
import type { Dialect } from '../sql/dialect.ts';
import type { Statement } from '../sql/statement.ts';
import type { Reader, Transaction } from '../store/contract.ts';
import { codesTable, credentialsTable, sessionsTable, stateTable, verifiedTable } from '../tables/own-tables.ts';

/** What callers' tokens are checked against: a random mark, and the time before which tokens are void. */
export interface Credentials {
  /** The mark of a caller; `fresh` is stored if there is none. */
  mark(transaction: Transaction, caller: Scalar, fresh: string): Promise<string>;
  /** Whether tokens with a mark are still good. */
  isGood(reader: Reader, caller: Scalar, mark: string): Promise<boolean>;
  /** Ends all tokens that carry the mark, all sessions, and the codes that set a new secret. */
  forget(transaction: Transaction, caller: Scalar): Promise<void>;
  /** The same of a caller whose record is gone: another one with this key begins with nothing. */
  erase(transaction: Transaction, caller: Scalar): Promise<void>;
  /** Ends all tokens of an outside issuer that are older. */
  endBefore(transaction: Transaction, caller: Scalar, since: Date): Promise<void>;
  /** The database's own id: tokens of another database are not valid. */
  database(reader: Reader): Promise<string | undefined>;
  /** Makes one, if it has none. */
  name(transaction: Transaction, id: string): Promise<void>;
}

const DATABASE = 'database';

/** `hasCodes`: whether callers are sent any. */
export function makeCredentials({ name, placeholder, onConflict }: Dialect, hasCodes: boolean): Credentials {
  const table = name(credentialsTable.name);
  const [caller, mark, since] = credentialsTable.columns.map((column) => name(column.name)) as [string, string, string];
  const [first, second] = [placeholder(1), placeholder(2)];
  const put = (column: string, last: (inserted: string) => string): Statement => ({
    sql:
      `INSERT INTO ${table} (${caller}, ${column}) VALUES (${first}, ${second}) ` +
      onConflict([caller], { [column]: last }),
  });
  const statements = {
    mark: { sql: `SELECT ${mark} FROM ${table} WHERE ${caller} = ${first}` },
    keep: put(mark, (inserted) => `coalesce(${table}.${mark}, ${inserted})`),
    forget: { sql: `UPDATE ${table} SET ${mark} = NULL WHERE ${caller} = ${first}` },
    endSessions: { sql: `DELETE FROM ${name(sessionsTable.name)} WHERE ${name('caller')} = ${first}` },
    endResets: {
      sql:
        `UPDATE ${name(codesTable.name)} SET ${name('expires_at')} = '' ` +
        `WHERE ${name('caller')} = ${first} AND ${name('kind')} = 'reset'`,
    },
    eraseCodes: { sql: `DELETE FROM ${name(codesTable.name)} WHERE ${name('caller')} = ${first}` },
    eraseAddress: { sql: `DELETE FROM ${name(verifiedTable.name)} WHERE ${name('caller')} = ${first}` },
    endBefore: put(since, (inserted) => inserted),
    database: { sql: `SELECT ${name('value')} FROM ${name(stateTable.name)} WHERE ${name('name')} = '${DATABASE}'` },
    name: {
      sql:
        `INSERT INTO ${name(stateTable.name)} (${name('name')}, ${name('value')}) ` +
        `VALUES ('${DATABASE}', ${first}) ${onConflict([name('name')], {})}`,
    },
  };
  async function forget(transaction: Transaction, key: Scalar): Promise<void> {
    await transaction.run(statements.forget, [String(key)]);
    await transaction.run(statements.endSessions, [String(key)]);
    if (hasCodes) await transaction.run(statements.endResets, [String(key)]);
  }
  return {
    forget,
    async erase(transaction, key) {
      await forget(transaction, key);
      if (!hasCodes) return;
      await transaction.run(statements.eraseCodes, [String(key)]);
      await transaction.run(statements.eraseAddress, [String(key)]);
    },
    async mark(transaction, key, fresh) {
      await transaction.run(statements.keep, [String(key), fresh]);
      return String((await transaction.first(statements.mark, [String(key)]))![0]);
    },
    isGood: async (reader, key, mark) => (await reader.first(statements.mark, [String(key)]))?.[0] === mark,
    async endBefore(transaction, key, time) {
      await transaction.run(statements.endBefore, [String(key), time.toISOString()]);
    },
    async database(reader) {
      const row = await reader.first(statements.database, []);
      return row === undefined ? undefined : String(row[0]);
    },
    async name(transaction, id) {
      await transaction.run(statements.name, [id]);
    },
  };
}
