import type { Table } from './table.ts';

const text = (name: string) => ({ name, type: 'text', scale: 0, nullable: false, serial: false }) as const;

/** Which sample became which record: `hut/grey-hut`, its key, and a digest of the row as it was loaded. */
export const samplesTable: Table = {
  name: 'vantfell_samples',
  columns: [text('name'), text('key'), text('digest')],
  primaryKey: 'name',
  unique: [],
  indexes: [],
  references: [],
};

/**
 * What CASEI, ACCENTI, lower and upper make of each letter beyond ASCII. Databases differ in what they know of such
 * letters; with a table of them, all give the answers that this program gives. Its rows are those of `allLetters`.
 */
export const lettersTable: Table = {
  name: 'vantfell_letters',
  columns: [text('letter'), text('casei'), text('accenti'), text('lower'), text('upper')],
  primaryKey: 'letter',
  unique: [],
  indexes: [],
  references: [],
};
