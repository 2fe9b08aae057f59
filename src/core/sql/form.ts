import type { Field } from '../model/field.ts';

/** How a column is spelled whose form is not the tool's own: that of a database that was there already. */
export interface Form {
  /** The column's value, as a column of the tool's own would hold it. */
  read(column: string, field: FormedField): string;
  /** Such a value, as the column takes it. */
  write(value: string, field: FormedField): string;
  /** Whether the column itself sorts and compares as its values do, so that an index can serve that. */
  readonly ordered?: boolean;
}

/** What a form looks at. */
export type FormedField = Pick<Field, 'scale' | 'stored'>;

/** The forms that one kind of database knows, by their names. */
export type Forms = ReadonlyMap<string, Form>;
