import type { Access } from './access.ts';
import type { Expression } from './expression.ts';
import type { Field, ValueSpec } from './field.ts';
import type { Links, Relation, Reverse } from './relation.ts';
import type { FieldValue } from './scalar.ts';

export type EndpointName = 'list' | 'read' | 'create' | 'replace' | 'update' | 'delete' | 'clear';

export interface SortKey {
  readonly field: Field;
  readonly descending: boolean;
}

/** When a record was made and last changed, in its own fields. */
export interface Stamps {
  readonly created?: Field;
  readonly updated?: Field;
}

/** A value computed from others on every read. */
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

/** The name of a record: texts, and expressions between them. */
export type Template = readonly (string | Expression)[];

/** A member of a view: a name, and what is shown of the record behind it where it is a relation. */
export interface ViewMember {
  readonly name: string;
  readonly inside?: readonly ViewMember[];
}

/** An operation of a model. */
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

/** What an absent field of a new record becomes: it is worked out once, from the other values of the record. */
export interface MadeDefault {
  readonly field: Field;
  readonly value: Expression;
  /** Whether the record's own values are enough. */
  readonly ownValues: boolean;
  /** Those of a step use no values but those of steps before, and given ones. */
  readonly step: number;
}

/** Stock that each record takes from another: its amount while a condition holds. */
export interface Draw {
  readonly relation: Relation;
  /** The model drawn on, and its field. */
  readonly from: string;
  readonly field: Field;
  readonly amount: Expression;
  readonly while?: Expression;
  /** The message if not enough is left; over the record, with `{available}`. */
  readonly refuse?: Template;
}

export interface Model {
  readonly name: string;
  readonly plural: string;
  readonly table: string;
  readonly description?: string;
  readonly deprecated?: boolean | undefined;
  /** What makes the key: the service, the database, a client as a field, or several of its fields. */
  readonly keyKind: 'uuid' | 'serial' | 'field' | 'fields';
  readonly key: Field;
  /** Every stored member of a record, in the order of its JSON. */
  readonly fields: readonly Field[];
  readonly byMember: ReadonlyMap<string, Field>;
  /** Those of `fields` that answers may show: all but secrets and `writeOnly` ones. */
  readonly shown: readonly Field[];
  readonly shownByMember: ReadonlyMap<string, Field>;
  /** What absent fields of a new record become, where an expression over no record says so. */
  readonly defaults: ReadonlyMap<string, Expression>;
  /** The same where it is over the new record, in the order in which they are worked out. */
  readonly madeDefaults: readonly MadeDefault[];
  readonly relations: readonly Relation[];
  readonly links: readonly Links[];
  readonly reverses: readonly Reverse[];
  /** The relation to the model that this one is within. */
  readonly parent?: Relation;
  /** The names of the models within this one. */
  readonly parts: readonly string[];
  /** The relations that lead to the owner, a record of the identity model; none where the record owns itself. */
  readonly owner?: readonly Relation[];
  readonly stamps: Stamps;
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
