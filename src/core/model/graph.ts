import type { TypeName } from './types.ts';

/** A value as it stands in JSON, for the types that a field may have. Decimals and dates are text. */
export type FieldValue = string | number | boolean | null;

export type EndpointName = 'list' | 'read' | 'create' | 'replace' | 'update' | 'delete';

export interface Rules {
  /** Given when a record is made, never null. */
  readonly required: boolean;
  readonly default?: FieldValue;
  readonly minLength?: number;
  readonly maxLength?: number;
  readonly pattern?: string;
  readonly minimum?: number;
  readonly maximum?: number;
  readonly exclusiveMinimum?: number;
  readonly exclusiveMaximum?: number;
  readonly multipleOf?: number;
  readonly enum?: readonly FieldValue[];
  readonly const?: FieldValue;
  readonly trim: boolean;
  readonly letters?: 'lower' | 'upper';
  readonly immutable: boolean;
  readonly readOnly: boolean;
  /** The developer's own words, for every rule or by the rule's name. */
  readonly message?: string | Readonly<Record<string, string>>;
}

/** One member of a record: its key, a declared field, the key of a related record, or a stamp. */
export interface Field {
  /** Its name in JSON. */
  readonly member: string;
  readonly column: string;
  readonly type: TypeName;
  /** Digits after the point, where the type is decimal. */
  readonly scale: number;
  readonly origin: 'key' | 'field' | 'relation' | 'stamp';
  readonly rules: Rules;
  /** The name of the model whose key this is, where the origin is a relation. */
  readonly refersTo?: string;
  readonly description?: string;
  readonly examples: readonly FieldValue[];
}

/** A reference from a record of one model to a record of another. */
export interface Relation {
  readonly name: string;
  readonly field: Field;
  readonly target: string;
  readonly onDelete: 'restrict' | 'cascade' | 'clear';
}

export interface SortKey {
  readonly field: Field;
  readonly descending: boolean;
}

export interface Model {
  readonly name: string;
  readonly plural: string;
  readonly table: string;
  readonly description?: string;
  readonly keyKind: 'uuid' | 'serial' | 'field';
  readonly key: Field;
  /** Every member of a record, in the order of its JSON. */
  readonly fields: readonly Field[];
  readonly byMember: ReadonlyMap<string, Field>;
  readonly relations: readonly Relation[];
  /** The relation to the model that this one is within. */
  readonly parent?: Relation;
  /** The names of the models within this one. */
  readonly parts: readonly string[];
  /** Whether records carry created_at and updated_at. */
  readonly stamps: boolean;
  /** A total order: it always ends with the key. */
  readonly sort: readonly SortKey[];
  readonly unique: readonly (readonly Field[])[];
  readonly indexes: readonly (readonly Field[])[];
  readonly endpoints: ReadonlySet<EndpointName>;
}

export interface ServiceSettings {
  readonly name: string;
  readonly version: string;
  readonly prefix: string;
  readonly description?: string;
  readonly key?: string;
  readonly store?: string;
  readonly paging: { readonly default: number; readonly most: number };
  /** Bytes. */
  readonly largestBody: number;
}

/** Everything that was declared, resolved and frozen. All the rest of the program is a function of it. */
export interface Graph {
  readonly service: ServiceSettings;
  /** In an order in which a model stands after those it refers to, as far as they allow one. */
  readonly models: readonly Model[];
  readonly byName: ReadonlyMap<string, Model>;
}

/** The model of a name that is known to exist because the graph was resolved. */
export function modelOf(graph: Graph, name: string): Model {
  const model = graph.byName.get(name);
  if (model === undefined) throw new Error(`the graph has no model ${name}`);
  return model;
}
