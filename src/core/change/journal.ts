import type { Model } from '../model/graph.ts';
import { linkedOf } from '../model/related.ts';
import { isSame } from '../model/value.ts';
import type { Values } from '../rules/schema.ts';
import type { Statement } from '../store/contract.ts';
import type { Dialect } from '../store/dialect.ts';
import { journalTable } from '../tables/own-tables.ts';
import type { Entry, Work } from './work.ts';

/** Writes down what a transaction did, before it is kept. */
export interface Journal {
  write(work: Work): Promise<void>;
}

export function makeJournal(dialect: Dialect, uuid: () => string): Journal {
  const { name, placeholder } = dialect;
  const columns = journalTable.columns.map((column) => name(column.name));
  const places = columns.map((_column, at) => placeholder(at + 1));
  const insert: Statement = {
    sql: `INSERT INTO ${name(journalTable.name)} (${columns.join(', ')}) VALUES (${places.join(', ')})`,
  };
  return {
    async write({ transaction, entries, caller }) {
      for (const { model, key, at, action, changes } of entries.splice(0)) {
        const by = caller === null ? null : String(caller.key);
        const texts = [uuid(), model, String(key), at.toISOString(), by, action, JSON.stringify(changes)];
        await transaction.run(insert, texts);
      }
    },
  };
}

/** What the journal says of the values of a record: neither secrets, nor what is never shown. */
export function changesIn(model: Model): (before: Values | undefined, after: Values | undefined) => Entry['changes'] {
  const members = [...model.fields.filter(({ rules }) => !rules.writeOnly), ...linkedOf(model)].map(
    ({ member }) => member,
  );
  // The line itself says when; and that the stamp moved says nothing more.
  const changing = members.filter((member) => !(model.stamps && member === 'updated_at'));
  return (before, after) => {
    const changes: Record<string, { before?: unknown; after?: unknown }> = {};
    for (const member of before !== undefined && after !== undefined ? changing : members) {
      const [was, is] = [before?.[member] ?? null, after?.[member] ?? null];
      if (isSame(was, is)) continue;
      changes[member] = before === undefined ? { after: is } : after === undefined ? { before: was } : { before: was, after: is }; // prettier-ignore
    }
    return changes;
  };
}
