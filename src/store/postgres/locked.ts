import { setTimeout as pause } from 'node:timers/promises';
import type { Pool, PoolClient } from 'pg';
import { StoreError } from '../../core/store/contract.ts';
import { tablesInUse } from '../base/options.ts';

/** Readers of a table queue behind a lock that wants to change it: only for so long. */
export const LOCK_MS = 1_000;
/** In between, those who waited are let by. */
const PAUSE_MS = 1_500;
const LOOK_MS = 300;
/** The wait for a lock was given up; or it would never have ended, because others waited for this in turn. */
const LOCK_FAULTS = ['55P03', '40P01'];

interface Waiting {
  /** Looks after a statement that may have to wait for locks; what it returns ends that. */
  watch(client: PoolClient): () => void;
}

/**
 * Does work that needs tables for itself, again and again while others use them, for `longest` milliseconds; `pool` is
 * asked who those are.
 */
export async function patiently<Result>(
  pool: Pool,
  longest: number,
  onWait: ((whom: string) => void) | undefined,
  work: (waiting: Waiting) => Promise<Result>,
): Promise<Result> {
  const until = performance.now() + longest;
  let whom = '';
  const told = (found: string): void => {
    if (found === '' || found === whom) return;
    whom = found;
    onWait?.(found);
  };
  const watch = (client: PoolClient): (() => void) => {
    // Asked of the server: behind a pooler, the driver knows another number.
    const pid = client.query<{ pid: number }>('SELECT pg_backend_pid() AS pid').then(({ rows }) => rows[0]!.pid);
    const look = async (): Promise<void> => told(await blockersOf(pool, await pid));
    const timer = setInterval(() => void look().catch(() => undefined), LOOK_MS);
    return () => clearInterval(timer);
  };
  for (;;) {
    try {
      return await work({ watch });
    } catch (error) {
      if (!isLocked(error)) throw error;
      if (performance.now() > until) throw tablesInUse(whom, error);
      await pause(PAUSE_MS);
    }
  }
}

export const isLockFault = (error: unknown): boolean =>
  LOCK_FAULTS.includes(String((error as { code?: unknown } | undefined)?.code));

const isLocked = (error: unknown): boolean => error instanceof StoreError && isLockFault(error.cause);

interface Blocker {
  readonly pid: number;
  readonly usename: string | null;
  readonly application_name: string;
  readonly client_addr: string | null;
  readonly state: string | null;
  readonly query: string;
}

/** Those who hold locks that a connection waits for: `psql of ines (process 4711, idle in transaction: SELECT …)`. */
async function blockersOf(look: Pool, pid: number): Promise<string> {
  const sql =
    'SELECT pid, usename, application_name, host(client_addr) AS client_addr, state, left(query, 60) AS query' +
    ' FROM pg_stat_activity WHERE pid = ANY(pg_blocking_pids($1)) ORDER BY pid';
  return (await look.query<Blocker>(sql, [pid])).rows.map(blockerText).join('; ');
}

function blockerText({
  pid,
  usename,
  application_name: application,
  client_addr: address,
  state,
  query,
}: Blocker): string {
  const who = [application, usename === null ? '' : `of ${usename}`, address === null ? '' : `at ${address}`];
  const does = [state ?? 'at work', query.replace(/\s+/g, ' ').trim()].filter((words) => words !== '').join(': ');
  return `${who.filter((words) => words !== '').join(' ')} (process ${pid}, ${does})`;
}
