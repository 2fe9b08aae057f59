import { randomUUID } from 'node:crypto';
import type { Transaction } from '../../core/store/contract.ts';
import { stateTable } from '../../core/tables/own-tables.ts';
import { tablesMoved } from '../base/options.ts';
import { quoteName as name, quoteText } from '../sql/quote.ts';
import type { Connected } from './connected.ts';

/** The row whose value is another whenever a migration has changed the tables. */
const IS_REVISION = `${name('name')} = ${quoteText('revision')}`;
const REVISION = { sql: `SELECT ${name('value')} FROM ${name(stateTable.name)} WHERE ${IS_REVISION}` };
const FORGET = { sql: `DELETE FROM ${name(stateTable.name)} WHERE ${IS_REVISION}` };
const KEEP = {
  sql: `INSERT INTO ${name(stateTable.name)} (${name('name')}, ${name('value')}) VALUES ('revision', ?1)`,
};

export async function moveOn(transaction: Transaction): Promise<void> {
  await transaction.run(FORGET, []);
  await transaction.run(KEEP, [randomUUID()]);
}

/** What a store is held to. */
export interface TablesMark {
  begin(transaction: Transaction): Promise<void>;
  /** Throws where the tables are others than those at the beginning; it costs every read some microseconds. */
  heed(on: Connected): void;
}

export function holdTables(address: string, onMoved: (() => void) | undefined): TablesMark {
  let revision: unknown;
  let isHeld = false;
  let isMoved = false;
  return {
    async begin(transaction) {
      // An older version of the tool has written none.
      if ((await transaction.first(REVISION, [])) === undefined) await moveOn(transaction);
      revision = (await transaction.first(REVISION, []))?.[0];
      isHeld = true;
    },
    heed(on) {
      if (!isHeld) return;
      if (!isMoved && revisionOn(on) === revision) return;
      if (!isMoved) onMoved?.();
      isMoved = true;
      throw tablesMoved(address);
    },
  };
}

/** Nothing where there is no such table any more. */
function revisionOn(on: Connected): unknown {
  try {
    return on.first(REVISION, [])?.[0];
  } catch (error) {
    if ((error as Error).message.includes('no such table')) return null;
    throw error;
  }
}
