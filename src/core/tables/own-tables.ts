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
