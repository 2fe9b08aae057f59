import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import { linkedOf } from '../model/related.ts';
import { isSame } from '../model/value.ts';
import type { Values } from '../rules/schema.ts';
import type { Dialect } from '../sql/dialect.ts';
import type { Statement } from '../sql/statement.ts';
import type { Transaction } from '../store/contract.ts';
import { journalTable } from '../tables/own-tables.ts';
import type { Entry, UnitOfWork } from './unit-of-work.ts';

/** Writes the journal of a transaction, before its commit. */
export interface Journal {
  write(work: UnitOfWork): Promise<void>;
}

/** Where a line has the operation that it was written for, among its changes: no member has such a name. */
export const OPERATION = '@operation';

/** Lines of one transaction that are written without a look at the clock. */
const SENT_AT_ONCE = 50;

/** Whether a key can be used again: only a UUID cannot. */
export const hasLives = ({ keyKind }: Model): boolean => keyKind !== 'uuid';

export function makeJournal(graph: Graph, dialect: Dialect, uuid: () => string): Journal {
  const { name, placeholder } = dialect;
  const columns = journalTable.columns.map((column) => name(column.name));
  const places = columns.map((_column, at) => placeholder(at + 1));
  const insert: Statement = {
    sql: `INSERT INTO ${name(journalTable.name)} (${columns.join(', ')}) VALUES (${places.join(', ')})`,
  };
  const latest: Statement = {
    sql:
      `SELECT max(${name('id')}) FROM ${name(journalTable.name)} ` +
      `WHERE ${name('model')} = ${placeholder(1)} AND ${name('record')} = ` +
      `${placeholder(2)}`,
  };

  /** Lines of one record are in order, whatever clock wrote them: their order gives the life that they belong to. */
  async function idAfterLast(transaction: Transaction, model: string, key: string): Promise<string> {
    const id = uuid();
    const last = (await transaction.first(latest, [model, key]))?.[0] ?? null;
    return last === null || String(last) < id ? id : following(String(last), id);
  }

  return {
    async write({ transaction, entries, caller, operation }) {
      let sent = 0;
      for (const { model, key, at, action, changes } of entries.splice(0)) {
        const by = caller === null ? null : String(caller.key);
        const record = String(key);
        const mayHaveLines = hasLives(graph.byName.get(model)!);
        const texts = [
          mayHaveLines ? await idAfterLast(transaction, model, record) : uuid(),
          model,
          record,
          dialect.bindKind({ kind: 'date-time', scale: 0 }, at.toISOString()),
          by,
          action,
          JSON.stringify(operation === undefined ? changes : { [OPERATION]: operation, ...changes }),
        ];
        // Others have their turn between some and the next ones.
        sent += 1;
        if (sent % SENT_AT_ONCE === 0) await transaction.run(insert, texts);
        else void transaction.send(insert, texts);
      }
    },
  };
}

/** A UUID of version 7, one millisecond later than another, with the random part of a third. */
function following(last: string, fresh: string): string {
  const time = (BigInt(`0x${last.replaceAll('-', '').slice(0, 12)}`) + 1n).toString(16).padStart(12, '0');
  return `${time.slice(0, 8)}-${time.slice(8)}${fresh.slice(13)}`;
}

/** The members of a record that the journal shows. */
export const journaledMembers = (model: Model): string[] =>
  [...model.fields.filter(({ rules }) => !rules.writeOnly), ...linkedOf(model)].map(({ member }) => member);

/** The journal's values of a record: without secrets and members that are never shown. */
export function changesIn(model: Model): (before: Values | undefined, after: Values | undefined) => Entry['changes'] {
  const members = journaledMembers(model);
  // The line itself has the time; a changed stamp adds nothing.
  const changing = members.filter((member) => member !== model.stamps.updated?.member);
  return (before, after) => {
    const changes: Record<string, { before?: unknown; after?: unknown }> = {};
    for (const member of before !== undefined && after !== undefined ? changing : members) {
      const [was, is] = [before?.[member] ?? null, after?.[member] ?? null];
      if (isSame(was, is)) continue;
      changes[member] =
        before === undefined ? { after: is } : after === undefined ? { before: was } : { before: was, after: is };
    }
    return changes;
  };
}
