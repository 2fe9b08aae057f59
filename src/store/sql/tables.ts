import type { Passage } from '../../core/tables/ddl.ts';
import { isIn } from '../../core/tables/schema-diff.ts';
import type { Rename, TableChange } from '../../core/tables/schema-diff.ts';
import type { Index, Reference, Table } from '../../core/tables/table.ts';
import { quoteName as name } from './quote.ts';

// What is done to tables and every database spells alike.

export const ON_DELETE = { restrict: 'RESTRICT', cascade: 'CASCADE', clear: 'SET NULL' } as const;

/** What words of a catalogue say of deletes: whatever else they are, they refuse them. */
export const onDeleteIn = (words: string): Reference['onDelete'] =>
  words === ON_DELETE.cascade ? 'cascade' : words === ON_DELETE.clear ? 'clear' : 'restrict';

export const passage = (remark: string, statements: readonly string[]): Passage => ({ remark, statements });

export const renameText = ({ table, from, to }: Rename): string =>
  table === undefined
    ? `ALTER TABLE ${name(from)} RENAME TO ${name(to)}`
    : `ALTER TABLE ${name(table)} RENAME COLUMN ${name(from)} TO ${name(to)}`;

function createIndex(table: Table, index: Index, kind: 'INDEX' | 'UNIQUE INDEX'): string {
  if (index.isRule) {
    const columns = index.columns.map(name).join(', ');
    return `ALTER TABLE ${name(table.name)} ADD CONSTRAINT ${name(index.name)} UNIQUE (${columns})`;
  }
  const columns = index.columns.map((column) => name(column) + (index.descending.includes(column) ? ' DESC' : ''));
  return `CREATE ${kind} ${name(index.name)} ON ${name(table.name)} (${columns.join(', ')})`;
}

/** Makes the indexes of a table, but those that another one had. */
export const createIndexes = (
  table: Table,
  had: Pick<Table, 'unique' | 'indexes'> = { unique: [], indexes: [] },
): string[] => [
  ...table.unique.filter((index) => !isIn(index, had.unique)).map((index) => createIndex(table, index, 'UNIQUE INDEX')),
  ...table.indexes.filter((index) => !isIn(index, had.indexes)).map((index) => createIndex(table, index, 'INDEX')),
];

export const goneIndexes = ({ carried, after }: TableChange): Index[] => [
  ...carried.unique.filter((index) => !isIn(index, after.unique)),
  ...carried.indexes.filter((index) => !isIn(index, after.indexes)),
];

export const dropIndex = (index: Index): string => `DROP INDEX ${name(index.name)}`;
