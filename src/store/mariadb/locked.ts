import { randomUUID as uuid } from 'node:crypto';
import { setTimeout as pause } from 'node:timers/promises';
import { tablesInUse } from '../base/options.ts';
import { quoteName } from '../sql/quote.ts';
import { askOn, command } from './ask.ts';
import type { Client } from './ask.ts';
import { isLockFault, isPassing } from './errors.ts';
import type { Patiently } from './script.ts';

/** Readers of a table queue behind a lock that wants to change it: only for so long. */
export const LOCK_S = 1;
/** In between, those who waited are let by. */
const PAUSE_MS = 1_500;

/** Runs a statement again and again while others use the tables, for `longest` milliseconds in all. */
export function patientlyOn(client: Client, longest: number, onWait: ((whom: string) => void) | undefined): Patiently {
  const until = performance.now() + longest;
  let whom = '';
  return async (work) => {
    for (;;) {
      try {
        return await work();
      } catch (error) {
        if (!isLockFault(error) && !isPassing(error)) throw error;
        const found = await othersAtWork(client).catch(() => '');
        if (found !== '' && found !== whom) onWait?.((whom = found));
        if (performance.now() > until) throw tablesInUse(whom, error);
        await pause(PAUSE_MS);
      }
    }
  };
}

/** Those with transactions under way: `ines at 127.0.0.1 (connection 12, Sleep)`. Not everybody may see them. */
async function othersAtWork(client: Client): Promise<string> {
  const { rows } = await command(
    client,
    "SELECT p.ID, p.USER, p.HOST, p.COMMAND, left(coalesce(t.trx_query, p.INFO, ''), 60) " +
      'FROM information_schema.INNODB_TRX AS t ' +
      'JOIN information_schema.PROCESSLIST AS p ON p.ID = t.trx_mysql_thread_id ' +
      'WHERE p.DB = database() AND p.ID <> connection_id() ORDER BY p.ID LIMIT 3',
  );
  return rows
    .map(([id, user, host, does, text]) => blockerText(Number(id), [user, host, does, text].map(String)))
    .join('; ');
}

function blockerText(id: number, [user = '', host = '', does = '', text = '']: readonly string[]): string {
  const work = [does, text.replace(/\s+/g, ' ').trim()].filter((one) => one !== '').join(': ');
  return `${user} at ${host.replace(/:\d+$/, '')} (connection ${id}, ${work})`;
}

/** What is held until it is let go. */
export interface Turn {
  letGo(): Promise<void>;
}

interface TurnOptions {
  readonly client: Client;
  /** Whether there are nodes that know nothing of each other's locks. */
  readonly isCluster: boolean;
  /** Makes a connection beside that one. */
  connect(): Promise<Client & { end(done: () => void): void }>;
  readonly longest: number;
  readonly onWait: ((whom: string) => void) | undefined;
}

const ANOTHER = 'another program that works on them';

/** Two programs that work on the tables of one database take turns. */
export async function takeTurn(options: TurnOptions): Promise<Turn> {
  const { client, connect, isCluster, longest, onWait } = options;
  const { take, letGo } = isCluster ? leaseOf(await connect()) : lockOf(client);
  const until = performance.now() + longest;
  try {
    for (let isTold = false; !(await take()); isTold = true) {
      if (performance.now() > until) throw tablesInUse(ANOTHER);
      if (!isTold) onWait?.(ANOTHER);
    }
    return { letGo };
  } catch (error) {
    await letGo();
    throw error;
  }
}

interface Taking extends Turn {
  /** Whether it has been had, after a moment. */
  take(): Promise<boolean>;
}

const LOCK = "CONCAT('vantfell ', left(sha1(database()), 40))";

/** A lock of the server, which goes with the connection. */
const lockOf = (client: Client): Taking => ({
  take: async () => (await command(client, `SELECT GET_LOCK(${LOCK}, 1)`)).rows[0]![0] === 1,
  letGo: () =>
    command(client, `DO RELEASE_LOCK(${LOCK})`).then(
      () => undefined,
      () => undefined,
    ),
});

/** A cluster has no such locks: there, a row says who works on the tables, and was seen a moment ago. */
export const LEASE_TABLE = 'vantfell_turn';
const LEASE = quoteName(LEASE_TABLE);
const [ONE, HOLDER, SEEN] = ['one', 'holder', 'seen'].map(quoteName);
const BEAT_MS = 2_000;
/** Whoever has not been seen for so many seconds is gone. */
const GONE_S = 10;

function leaseOf(client: Client & { end(done: () => void): void }): Taking {
  const holder = uuid();
  const now = 'utc_timestamp(3)';
  // Assignments are made one after the other.
  const put =
    `INSERT INTO ${LEASE} VALUES (1, ?, ${now}) ON DUPLICATE KEY UPDATE ` +
    `${SEEN} = CASE WHEN ${HOLDER} = ? OR ${SEEN} < ${now} - INTERVAL ${GONE_S} SECOND THEN ${now} ELSE ${SEEN} END, ` +
    `${HOLDER} = CASE WHEN ${SEEN} = ${now} THEN ? ELSE ${HOLDER} END`;
  const made =
    `CREATE TABLE IF NOT EXISTS ${LEASE} ` + `(${ONE} tinyint PRIMARY KEY, ${HOLDER} varchar(64), ${SEEN} datetime(3))`;
  let isMade = false;
  let beat: NodeJS.Timeout | undefined;

  async function see(): Promise<boolean> {
    try {
      // Also of two nodes that make it at once, one is told to try again.
      if (!isMade) await command(client, made);
      isMade = true;
      await askOn(client, { text: put, values: [holder, holder, holder] });
      const seen = await askOn(client, { text: `SELECT ${HOLDER} FROM ${LEASE}`, values: [] });
      await command(client, 'COMMIT');
      return seen.rows[0]?.[0] === holder;
    } catch (error) {
      if (!isPassing(error) && !isLockFault(error)) throw error;
      // Another node was first.
      await command(client, 'ROLLBACK');
      return false;
    }
  }

  return {
    async take() {
      const isHad = await see();
      if (isHad) beat ??= setInterval(() => void see().catch(() => undefined), BEAT_MS).unref();
      else await pause(BEAT_MS / 4);
      return isHad;
    },
    async letGo() {
      clearInterval(beat);
      const gone = { text: `DELETE FROM ${LEASE} WHERE ${HOLDER} = ?`, values: [holder] };
      await askOn(client, gone).then(
        () => command(client, 'COMMIT'),
        () => undefined,
      );
      await new Promise<void>((resolve) => client.end(() => resolve()));
    },
  };
}
