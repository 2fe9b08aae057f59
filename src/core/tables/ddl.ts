import type { AffectedRows } from './risk.ts';
import type { SchemaDiff } from './schema-diff.ts';
import type { Table } from './table.ts';

/** Statements that belong together, and what they are for. */
export interface Passage {
  readonly remark: string;
  readonly statements: readonly string[];
}

/** How one kind of database spells what is done to tables. It needs no connection. */
export interface Ddl {
  /** What brings the tables of one design to those of another, inside one transaction. */
  diff(plan: SchemaDiff): Passage[];
  /** The tables, as they are before, that a change makes anew; left out where each is changed where it stands. */
  madeAnew?(plan: SchemaDiff): Table[];
  /** Makes a table that refers to no other, and its indexes, where it is missing. */
  createIfMissing(table: Table): string;
  /** Fills a table of texts from its one parameter: a JSON array of objects. */
  fillFromJson(table: Table): string;
  /** Deletes all rows of tables that may refer to each other. */
  empty(names: readonly string[]): string;
  drop(names: readonly string[]): string;
  /** A statement with one row: the number of affected rows, and one of their values. */
  count(affected: AffectedRows): string;
}

/** What stands before the statement that takes back the one on the next line, where none is taken back with others. */
export const BACK = '-- back: ';

/** A script without those. */
export const withoutBack = (script: string): string => script.replaceAll(new RegExp(`^${BACK}.*\n`, 'gm'), '');

/** The text of a file that people read and the tool runs: passages under their remarks. */
export const scriptText = (title: string, passages: readonly Passage[]): string =>
  [`-- ${title}`, ...passages.map(passageText)].join('\n\n') + '\n';

const passageText = ({ remark, statements }: Passage): string =>
  [`-- ${remark}`, ...statements.map((statement) => `${statement};`)].join('\n');
