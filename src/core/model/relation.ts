import type { Field, ValueSpec } from './field.ts';

/** A reference from a record of one model to a record of another. */
export interface Relation {
  readonly name: string;
  readonly field: Field;
  readonly target: string;
  readonly onDelete: 'restrict' | 'cascade' | 'clear';
  readonly description?: string;
}

/** A many-to-many relation: its links are in a table of their own. */
export interface Links {
  readonly name: string;
  /** Its name in JSON, for the keys: `amenity_ids`; undefined at the end without keys in its JSON. */
  readonly member?: string;
  readonly target: string;
  /** The key of the other's records. */
  readonly key: ValueSpec;
  readonly table: string;
  /** The columns of its table: the key of this record, and that of the other. */
  readonly near: string;
  readonly far: string;
  readonly description?: string;
  readonly deprecated?: boolean | undefined;
}

/** The other end of a relation that another model declares. */
export interface Reverse {
  readonly name: string;
  /** The model whose records refer to this one's. */
  readonly source: string;
  /** The name of its relation. */
  readonly relation: string;
  /** At most one record refers to each. */
  readonly one: boolean;
  readonly description?: string;
  readonly deprecated?: boolean | undefined;
}

/** How one record leads to another: along its relation, or to the one that refers to it. */
export type Step = Relation | Reverse;

/** How one record leads to many. */
export type Via = Links | Reverse;

export const isReverse = (step: Step | Via): step is Reverse => 'source' in step;
