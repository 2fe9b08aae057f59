import type { Expression } from './expression.ts';
import type { Access } from './access.ts';
import type { TypeName } from './types.ts';

/** A value that is one thing, as it stands in JSON. Decimals and dates are text. */
export type Scalar = string | number | boolean | null;

/** A value as it stands in JSON. */
export type FieldValue = Scalar | readonly FieldValue[] | { readonly [member: string]: FieldValue };

export type EndpointName = 'list' | 'read' | 'create' | 'replace' | 'update' | 'delete' | 'clear';

export interface Rules {
  /** Given when a record is made, never null. */
  readonly required: boolean;
  /** What an absent value becomes, where that is a constant. */
  readonly default?: FieldValue;
  /** An absent value becomes a constant, or what an expression in `defaults` of its model or operation gives. */
  readonly hasDefault: boolean;
  readonly minLength?: number;
  readonly maxLength?: number;
  /** Characters at most, where the service can't do with more, and no maxLength is declared. */
  readonly longest?: number;
  readonly pattern?: string;
  readonly format?: string;
  readonly minimum?: number;
  readonly maximum?: number;
  readonly exclusiveMinimum?: number;
  readonly exclusiveMaximum?: number;
  readonly multipleOf?: number;
  readonly minItems?: number;
  readonly maxItems?: number;
  readonly uniqueItems: boolean;
  readonly enum?: readonly Scalar[];
  readonly const?: FieldValue;
  readonly trim: boolean;
  readonly letters?: 'lower' | 'upper';
  readonly immutable: boolean;
  readonly readOnly: boolean;
  /** Taken, never shown. */
  readonly writeOnly: boolean;
  /** The developer's own words, for every rule or by the rule's name. */
  readonly message?: string | Readonly<Record<string, string>>;
}

/** What a value may be: its type, its rules, and those of the values inside it. */
export interface ValueSpec {
  readonly type: TypeName;
  /** Digits after the point, where the type is decimal. */
  readonly scale: number;
  readonly rules: Rules;
  /** What each item is, where the type is array. Items are never null. */
  readonly items?: ValueSpec;
  /** What each member is, where the type is object. */
  readonly properties?: ReadonlyMap<string, ValueSpec>;
  readonly description?: string;
  /** Still there, but not for new use. */
  readonly deprecated?: boolean | undefined;
  readonly examples: readonly FieldValue[];
}

/** One stored member of a record: its key, a declared field, the key of a related record, or a stamp. */
export interface Field extends ValueSpec {
  /** Its name in JSON. */
  readonly member: string;
  readonly column: string;
  readonly origin: 'key' | 'field' | 'relation' | 'stamp';
  /** The name of the model whose key this is, where the origin is a relation. */
  readonly refersTo?: string;
  /** The field whose text it is derived from when the client gives none: a slug. */
  readonly derivedFrom?: string;
  /** Other records draw on it: once its record is made, they alone change it. */
  readonly drawnOn?: boolean;
}

/** A reference from a record of one model to a record of another. */
export interface Relation {
  readonly name: string;
  readonly field: Field;
  readonly target: string;
  readonly onDelete: 'restrict' | 'cascade' | 'clear';
  readonly description?: string;
}

/** A many-to-many relation: its links stand in a table of their own. */
export interface Links {
  readonly name: string;
  /** Its name in JSON, for the keys: `amenity_ids`; undefined at the end that only looks back. */
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

export interface SortKey {
  readonly field: Field;
  readonly descending: boolean;
}

/** A value that is worked out from others whenever it is asked for. */
export interface Computed extends ValueSpec {
  readonly member: string;
  readonly value: Expression;
}

/** A rule across fields: a record must not make `check` false. */
export interface RecordRule {
  readonly check: Expression;
  readonly message: string;
  /** The member that a failure points at; the whole record where it is undefined. */
  readonly at?: string;
  /** Whether a record's own values are enough to judge it. */
  readonly ownValues: boolean;
}

/** How one record is called: texts, and expressions between them. */
export type Template = readonly (string | Expression)[];

/** A member of a view: a name, and what is shown of the record behind it where it is a relation. */
export interface ViewMember {
  readonly name: string;
  readonly inside?: readonly ViewMember[];
}

/** A verb that is more than one write. */
export interface Operation {
  readonly name: string;
  readonly target: 'record' | 'list';
  readonly description?: string;
  readonly deprecated?: boolean | undefined;
  readonly input: ReadonlyMap<string, ValueSpec>;
  /** What absent members of the input become, where an expression says so. */
  readonly defaults: ReadonlyMap<string, Expression>;
  /** Undefined where it answers with nothing. */
  readonly output?:
    | { readonly kind: 'one' | 'many'; readonly model: string }
    | { readonly kind: 'fields'; readonly fields: ReadonlyMap<string, ValueSpec> };
  readonly status: number;
  readonly reads: boolean;
}

/** Stock that each record takes from another: its amount while a condition holds. */
export interface Draw {
  readonly relation: Relation;
  /** The model drawn on, and its field. */
  readonly from: string;
  readonly field: Field;
  readonly amount: Expression;
  readonly while?: Expression;
  /** What to say where not enough is left; over the record, with `{available}`. */
  readonly refuse?: Template;
}

export interface Model {
  readonly name: string;
  readonly plural: string;
  readonly table: string;
  readonly description?: string;
  readonly deprecated?: boolean | undefined;
  readonly keyKind: 'uuid' | 'serial' | 'field';
  readonly key: Field;
  /** Every stored member of a record, in the order of its JSON. */
  readonly fields: readonly Field[];
  readonly byMember: ReadonlyMap<string, Field>;
  /** Those of `fields` that answers may show: all but secrets and `writeOnly` ones. */
  readonly shown: readonly Field[];
  readonly shownByMember: ReadonlyMap<string, Field>;
  /** What absent fields of a new record become, where an expression says so. */
  readonly defaults: ReadonlyMap<string, Expression>;
  readonly relations: readonly Relation[];
  readonly links: readonly Links[];
  readonly reverses: readonly Reverse[];
  /** The relation to the model that this one is within. */
  readonly parent?: Relation;
  /** The names of the models within this one. */
  readonly parts: readonly string[];
  /** The relations that lead to the owner, a record of the identity model; none where the record owns itself. */
  readonly owner?: readonly Relation[];
  /** Whether records carry created_at and updated_at. */
  readonly stamps: boolean;
  /** A total order: it always ends with the key. */
  readonly sort: readonly SortKey[];
  readonly label?: Template;
  readonly computed: readonly Computed[];
  readonly rules: readonly RecordRule[];
  readonly unique: readonly (readonly Field[])[];
  readonly indexes: readonly (readonly Field[])[];
  readonly endpoints: ReadonlySet<EndpointName>;
  /** Whether writes must carry If-Match. */
  readonly conditional: boolean;
  readonly access: Access;
  readonly views: ReadonlyMap<string, readonly ViewMember[]>;
  /** The view that lists use. */
  readonly listView: string;
  readonly operations: readonly Operation[];
  readonly draws: readonly Draw[];
  readonly journal: boolean;
  readonly trial: { readonly example: Readonly<Record<string, FieldValue>>; readonly skip: readonly string[] };
}

/** Who may sign in, and how. */
export interface Identity {
  readonly model: string;
  /** The fields that a caller signs in with; undefined where an outside issuer does it. */
  readonly login?: Field;
  readonly secret?: Field;
  /** The field that equals the `sub` of an outside issuer's tokens. */
  readonly subject?: Field;
  readonly roles?: Field;
  /** The names of all roles; undefined where any text may be one. */
  readonly roleNames?: readonly string[];
  /** Seconds. */
  readonly lifetime: number;
  readonly issuer?: {
    readonly jwks: string;
    readonly issuer: string;
    readonly audience: string;
    /** Which claim each field of a new record takes; undefined where unknown callers are refused. */
    readonly create?: ReadonlyMap<Field, string>;
  };
}

export interface ServiceSettings {
  readonly name: string;
  readonly version: string;
  readonly prefix: string;
  readonly description?: string;
  /** Where it can be reached; none where it says nothing. */
  readonly servers: readonly { readonly url: string; readonly description?: string }[];
  /** The first signs; what the others signed is still known. None where one is kept for the project. */
  readonly keys: readonly string[];
  readonly store?: string;
  readonly stores: readonly StoreKind[];
  readonly paging: { readonly default: number; readonly most: number };
  readonly limits: Limits;
  readonly origins: readonly string[];
  readonly proxies: readonly string[];
}

export type StoreKind = 'sqlite' | 'postgres';

export interface Limits {
  /** Bytes of a request's body. */
  readonly body: number;
  /** Requests of one caller in a minute; undefined where there is no limit. */
  readonly rate?: number;
  /** Failed sign-ins in a minute. */
  readonly signIn: number;
  /** Milliseconds. */
  readonly transaction: number;
  readonly read: number;
  /** Records that one delete may take along. */
  readonly cascade: number;
  /** Writers that may wait. */
  readonly queue: number;
}

/** Everything that was declared, resolved and frozen. All the rest of the program is a function of it. */
export interface Graph {
  readonly service: ServiceSettings;
  readonly identity?: Identity;
  /** In an order in which a model stands after those it refers to, as far as they allow one. */
  readonly models: readonly Model[];
  readonly byName: ReadonlyMap<string, Model>;
}

/** The model of a name that is known to exist because the graph was resolved. */
export function modelOf(graph: Pick<Graph, 'byName'>, name: string): Model {
  const model = graph.byName.get(name);
  if (model === undefined) throw new Error(`the graph has no model ${name}`);
  return model;
}
