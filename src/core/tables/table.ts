import type { TypeName } from '../model/types.ts';

/** A table as the models need it, in no database's own words. */
export interface Table {
  readonly name: string;
  readonly columns: readonly Column[];
  /** The name of the column; none where links stand. */
  readonly primaryKey?: string;
  readonly unique: readonly Index[];
  readonly indexes: readonly Index[];
  readonly references: readonly Reference[];
}

export interface Column {
  readonly name: string;
  readonly type: TypeName;
  readonly scale: number;
  readonly nullable: boolean;
  /** The database numbers the records itself. */
  readonly serial: boolean;
}

export interface Index {
  readonly name: string;
  readonly columns: readonly string[];
  /** Those of the columns whose values stand from high to low. */
  readonly descending: readonly string[];
}

export interface Reference {
  readonly column: string;
  readonly table: string;
  readonly key: string;
  readonly onDelete: 'restrict' | 'cascade' | 'clear';
}
