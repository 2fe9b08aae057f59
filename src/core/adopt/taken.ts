import type { FieldDeclaration, RelationDeclaration } from '../declaration/declarations.ts';
import type { CatalogueColumn, CatalogueReference, CatalogueTable } from '../tables/catalogue.ts';
import type { CheckRules } from './check-rules.ts';
import { memberNameOf } from './names.ts';
import type { Names } from './names.ts';
import type { UsableKey } from './usable.ts';

/** Something that is not in the models, or not as it is in the database, or that a person should look at. */
export interface AdoptionNote {
  /** `orders`, or `orders.total`. */
  readonly at: string;
  readonly what: 'left out' | 'changed' | 'look';
  readonly text: string;
}

/** A reference to a key of several columns. */
export interface JoinedReference {
  readonly reference: CatalogueReference;
  readonly columns: readonly CatalogueColumn[];
}

/** A table that becomes a model. */
export interface Taken {
  readonly table: CatalogueTable;
  readonly key: UsableKey;
  /** The member that has a key of several columns. */
  readonly keyName: string;
  readonly name: string;
  readonly fields: Record<string, FieldDeclaration>;
  readonly relations: Record<string, RelationDeclaration>;
  /** The names of its members, and those of relations. */
  readonly names: Names;
  /** The member or the relation that holds a column. */
  readonly memberOf: Map<string, string>;
  /** References by several columns that become relations, with the columns in the order of the other's key. */
  readonly joined: readonly JoinedReference[];
  readonly checks: readonly CheckRules[];
  readonly single: Set<string>;
}

const CREATED = /^(creat|insert|add(ed)?$|added|made|entered|recorded)/;
const UPDATED = /^(updat|modif|chang|last_(updat|modif|chang)|edited)/;
const MOMENT = /(_at|_on|_time|_date|_dt|_ts|_stamp|ed|ts)$/;

/** The columns that say when a record was made and last changed, where name and type say so. */
export function stampColumns(table: CatalogueTable): { created?: CatalogueColumn; updated?: CatalogueColumn } {
  const found = (form: RegExp): CatalogueColumn | undefined =>
    table.columns.find(({ name, kind, nullable, made }) => {
      const member = memberNameOf(name);
      return !nullable && made === undefined && kind?.type === 'date-time' && form.test(member) && MOMENT.test(member);
    });
  const [created, updated] = [found(CREATED), found(UPDATED)];
  return { ...(created === undefined ? {} : { created }), ...(updated === undefined ? {} : { updated }) };
}

/** Whether values of a field can be compared, so that it can be unique, and looked up. */
export const isComparable = ({ type }: FieldDeclaration): boolean => !['json', 'array', 'object'].includes(type!);
