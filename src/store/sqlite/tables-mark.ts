import { randomUUID } from 'node:crypto';
import type { Transaction } from '../../core/store/contract.ts';
import { stateTable } from '../../core/tables/own-tables.ts';
import { tablesMoved } from '../base/options.ts';
import { quoteName as name, quoteText } from '../sql/quote.ts';
import type { Connected } from './connected.ts';

/*
 * For each version of the project that has been served, a row: it goes, and never comes back as it was, once a
 * migration makes tables that the version does not know.
 */
const PREFIX = 'revision';
const table = name(stateTable.name);
const rowOf = (version: number): string => `${name('name')} = ${quoteText(`${PREFIX} ${version}`)}`;
const readOf = (version: number) => ({ sql: `SELECT ${name('value')} FROM ${table} WHERE ${rowOf(version)}` });
const ALL = { sql: `SELECT ${name('name')} FROM ${table} WHERE substr(${name('name')}, 1, 8) = ${quoteText(PREFIX)}` };
const FORGET = { sql: `DELETE FROM ${table} WHERE ${name('name')} = ?1` };
const KEEP = { sql: `INSERT INTO ${table} (${name('name')}, ${name('value')}) VALUES (?1, ?2)` };

export async function letGo(transaction: Transaction, isGone: (version: number) => boolean): Promise<void> {
  for (const [row] of await transaction.all(ALL, [])) {
    const version = /^revision (\d+)$/.exec(String(row))?.[1];
    // An older version of the tool had one mark for all.
    if (version === undefined || isGone(Number(version))) await transaction.run(FORGET, [String(row)]);
  }
}

/** What a store is held to. */
export interface TablesMark {
  begin(transaction: Transaction, version: number): Promise<void>;
  /**
   * Throws where the tables are others than those at the beginning. `now` is the database's change mark, if there is
   * one: nothing is asked where it has not changed since.
   */
  heed(on: Connected, now?: number): void;
}

export function holdTables(address: string, onMoved: (() => void) | undefined): TablesMark {
  let held: { readonly statement: { readonly sql: string }; readonly revision: unknown } | undefined;
  let isMoved = false;
  let seen: number | undefined;
  return {
    async begin(transaction, version) {
      const statement = readOf(version);
      if ((await transaction.first(statement, [])) === undefined) {
        await transaction.run(KEEP, [`${PREFIX} ${version}`, randomUUID()]);
      }
      seen = undefined;
      held = { statement, revision: (await transaction.first(statement, []))?.[0] };
    },
    heed(on, now) {
      if (held === undefined || (now !== undefined && now === seen)) return;
      if (!isMoved && revisionOn(on, held.statement) === held.revision) {
        seen = now;
        return;
      }
      if (!isMoved) onMoved?.();
      isMoved = true;
      throw tablesMoved(address);
    },
  };
}

/** Nothing where there is no such table any more. */
function revisionOn(on: Connected, statement: { readonly sql: string }): unknown {
  try {
    return on.first(statement, [])?.[0];
  } catch (error) {
    if ((error as Error).message.includes('no such table')) return null;
    throw error;
  }
}
