import type { Step } from '../../core/tables/difference.ts';
import type { Column, Index, Reference, Table } from '../../core/tables/table.ts';
import { sqliteDialect } from './dialect.ts';

const { name } = sqliteDialect;

function columnType(column: Column): string {
  switch (column.type) {
    case 'integer':
    case 'boolean':
    case 'decimal':
      return 'INTEGER';
    case 'number':
      return 'REAL';
    default:
      return 'TEXT';
  }
}

const onDelete = { restrict: 'RESTRICT', cascade: 'CASCADE', clear: 'SET NULL' } as const;

const references = (reference: Reference | undefined): string =>
  reference === undefined
    ? ''
    : ` REFERENCES ${name(reference.table)} (${name(reference.key)}) ON DELETE ${onDelete[reference.onDelete]}`;

function columnText(table: Table, column: Column, reference: Reference | undefined): string {
  const key = column.name === table.primaryKey ? ` PRIMARY KEY${column.serial ? ' AUTOINCREMENT' : ''}` : '';
  return `${name(column.name)} ${columnType(column)}${column.nullable ? '' : ' NOT NULL'}${key}${references(reference)}`;
}

function createTable(table: Table): string {
  const columns = table.columns.map((column) =>
    columnText(
      table,
      column,
      table.references.find((reference) => reference.column === column.name),
    ),
  );
  return `CREATE TABLE ${name(table.name)} (\n  ${columns.join(',\n  ')}\n) STRICT`;
}

function createIndex(table: Table, index: Index, unique: boolean): string {
  const columns = index.columns.map((column) => name(column) + (index.descending.includes(column) ? ' DESC' : ''));
  return `CREATE${unique ? ' UNIQUE' : ''} INDEX ${name(index.name)} ON ${name(table.name)} (${columns.join(', ')})`;
}

/** The statements that do a step. */
export function statementsOf(step: Step): string[] {
  switch (step.kind) {
    case 'create-table':
      return [
        createTable(step.table),
        ...step.table.unique.map((index) => createIndex(step.table, index, true)),
        ...step.table.indexes.map((index) => createIndex(step.table, index, false)),
      ];
    case 'add-column':
      return [`ALTER TABLE ${name(step.table.name)} ADD COLUMN ${columnText(step.table, step.column, step.reference)}`];
    case 'create-index':
      return [createIndex(step.table, step.index, step.unique)];
    case 'drop-index':
      return [`DROP INDEX ${name(step.index.name)}`];
  }
}
