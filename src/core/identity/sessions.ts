import type { Scalar } from '../model/scalar.ts';
import type { Dialect } from '../sql/dialect.ts';
import type { Reader, Store, Transaction } from '../store/contract.ts';
import { sessionsTable } from '../tables/own-tables.ts';
import { makeFresh } from './fresh.ts';

/** One place where a caller is signed in. Times are RFC 3339, in UTC. */
export interface Session {
  readonly id: string;
  readonly began_at: string;
  readonly used_at: string;
  readonly expires_at: string;
  /** What its client calls itself (RFC 9110, User-Agent); null where it does not. */
  readonly agent: string | null;
}

/** Where callers are signed in. A session lasts while its refresh token is used, each only once (RFC 9700, 4.14). */
export interface Sessions {
  begin(transaction: Transaction, caller: Scalar, session: Session): Promise<void>;
  /**
   * Takes the refresh token of a generation for used: the next one is good then. `used` if it was used before: then the
   * session ends, because somebody else has the token. `gone` where there is no such session.
   */
  renew(transaction: Transaction, session: Renewed): Promise<'renewed' | 'used' | 'gone'>;
  /** Ends one; false where the caller has none of this id. */
  end(transaction: Transaction, caller: Scalar, id: string): Promise<boolean>;
  endAll(transaction: Transaction, caller: Scalar): Promise<void>;
  /** Those that are not over, the one that was used last first. */
  list(reader: Reader, caller: Scalar, now: Date): Promise<Session[]>;
  /** The same as `isThere`, where that is known; false where it has to be read. */
  isKnown(id: string): boolean;
  /** Whether it has not ended, as known a few seconds ago at most. */
  isThere(id: string): Promise<boolean>;
  /** Sessions have ended: what is known of them is read again. */
  forget(): void;
}

export interface Renewed {
  readonly id: string;
  readonly generation: number;
  readonly now: Date;
  readonly expires: Date;
}

/** The most of one caller: beyond them, the one that was used least recently ends. */
const MOST = 100;

export function makeSessions(store: Store, now: () => Date): Sessions {
  const statements = statementsOf(store.dialect);
  const fresh = makeFresh<true>(now);

  async function listed(reader: Reader, caller: Scalar): Promise<Session[]> {
    return (await reader.all(statements.list, [String(caller)])).map(([id, began, used, expires, agent]) => ({
      id: String(id),
      began_at: String(began),
      used_at: String(used),
      expires_at: String(expires),
      agent: agent === null ? null : String(agent),
    }));
  }

  return {
    async begin(transaction, caller, { id, began_at, used_at, expires_at, agent }) {
      await transaction.run(statements.prune, [began_at]);
      for (const old of (await listed(transaction, caller)).slice(MOST - 1))
        await transaction.run(statements.end, [old.id, String(caller)]);
      await transaction.run(statements.begin, [id, String(caller), began_at, used_at, expires_at, agent]);
    },

    async renew(transaction, { id, generation, now: time, expires }) {
      const bound = [time.toISOString(), expires.toISOString(), id, generation];
      if ((await transaction.run(statements.renew, bound)) > 0) return 'renewed';
      return (await transaction.run(statements.endAny, [id])) > 0 ? 'used' : 'gone';
    },

    end: async (transaction, caller, id) => (await transaction.run(statements.end, [id, String(caller)])) > 0,

    async endAll(transaction, caller) {
      await transaction.run(statements.endAll, [String(caller)]);
    },

    async list(reader, caller, time) {
      const all = await listed(reader, caller);
      return all.filter(({ expires_at }) => expires_at > time.toISOString());
    },

    isKnown: (id) => fresh.recent(id) === true,

    async isThere(id) {
      const read = async (): Promise<true | undefined> =>
        (await store.first(statements.find, [id])) === undefined ? undefined : true;
      return (fresh.recent(id) ?? (await fresh.readAnew(id, read))) === true;
    },

    forget: () => fresh.forget(),
  };
}

function statementsOf({ name, placeholder }: Dialect) {
  const table = name(sessionsTable.name);
  const [id, caller, began, used, expires, generation, agent] = sessionsTable.columns.map((column) =>
    name(column.name),
  ) as [string, string, string, string, string, string, string];
  const [first, second, third, fourth] = [1, 2, 3, 4].map(placeholder) as [string, string, string, string];
  const shown = [id, began, used, expires, agent].join(', ');
  return {
    prune: { sql: `DELETE FROM ${table} WHERE ${expires} < ${first}` },
    begin: {
      sql:
        `INSERT INTO ${table} (${id}, ${caller}, ${began}, ${used}, ${expires}, ${agent}, ${generation}) ` +
        `VALUES (${[1, 2, 3, 4, 5, 6].map(placeholder).join(', ')}, 0)`,
    },
    renew: {
      sql:
        `UPDATE ${table} SET ${generation} = ${generation} + 1, ${used} = ${first}, ${expires} = ${second} ` +
        `WHERE ${id} = ${third} AND ${generation} = ${fourth}`,
    },
    end: { sql: `DELETE FROM ${table} WHERE ${id} = ${first} AND ${caller} = ${second}` },
    endAny: { sql: `DELETE FROM ${table} WHERE ${id} = ${first}` },
    endAll: { sql: `DELETE FROM ${table} WHERE ${caller} = ${first}` },
    list: { sql: `SELECT ${shown} FROM ${table} WHERE ${caller} = ${first} ORDER BY ${used} DESC, ${id} DESC` },
    find: { sql: `SELECT 1 FROM ${table} WHERE ${id} = ${first}` },
  };
}
