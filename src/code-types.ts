import type { FindOptions, Where } from './core/change/find.ts';
import type { Scope } from './core/change/scope.ts';
import type { CommitEvent } from './core/change/unit-of-work.ts';
import type { Scalar } from './core/model/scalar.ts';

/** The models of a project, as `vantfell export types` writes them down. Empty without that: then any name goes. */
// eslint-disable-next-line @typescript-eslint/no-empty-object-type
export interface Models {}

/** Its operations, by names like `hut.book`. */
// eslint-disable-next-line @typescript-eslint/no-empty-object-type
export interface Operations {}

/** The type of values without exported types. */
// eslint-disable-next-line @typescript-eslint/no-explicit-any
type Anything = any;

type Known<Names, Otherwise> = [keyof Names] extends [never] ? Otherwise : Extract<keyof Names, string>;

export type ModelName = Known<Models, string>;
export type OperationName = Known<Operations, string>;

type Of<All, Name, Part extends string> = Name extends keyof All
  ? All[Name] extends Readonly<Record<Part, infer Found>>
    ? Found
    : Anything
  : Anything;

/**
 * A record as hooks and operations have it: all that is stored of it but secrets, and the keys that it is linked with.
 */
export type RecordOf<Name> = Of<Models, Name, 'record'>;
type ValuesOf<Name> = Of<Models, Name, 'values'>;
type KeyOf<Name> = Of<Models, Name, 'key'> extends infer Key ? (Key extends Scalar ? Key : Scalar) : Scalar;

/** The records of one model, for hooks and operations. */
export interface ModelScope<Name> {
  /** All records, or those with these values, or for which a condition in CQL2 is true. */
  find(where?: Where, options?: FindOptions): Promise<RecordOf<Name>[]>;
  /** The first of them. */
  first(where?: Where, options?: FindOptions): Promise<RecordOf<Name> | undefined>;
  /** The record with a key; if there is none, the request is answered with 404. */
  get(key: KeyOf<Name>): Promise<RecordOf<Name>>;
  /** The same, and nobody else changes it until the transaction ends. */
  lock(key: KeyOf<Name>): Promise<RecordOf<Name>>;
  count(where?: Where): Promise<number>;
  create(values: ValuesOf<Name>): Promise<RecordOf<Name>>;
  update(key: KeyOf<Name>, values: Partial<ValuesOf<Name>>): Promise<RecordOf<Name>>;
  delete(key: KeyOf<Name>): Promise<void>;
}

/** The only way from a hook or an operation to the data, bound to the running transaction. */
export interface ScopeOf extends Omit<Scope, 'model'> {
  model<Name extends ModelName>(name: Name): ModelScope<Name>;
}

type Draft<Name> = RecordOf<Name> extends infer Record ? { -readonly [Member in keyof Record]: Record[Member] } : never;
type MayBe = Promise<void> | void;

/** The hooks of a model. */
export interface HandlersOf<Name> {
  /** May change the draft, which has its defaults by now. */
  beforeCreate?(draft: Draft<Name>, scope: ScopeOf): MayBe;
  afterCreate?(record: RecordOf<Name>, scope: ScopeOf): MayBe;
  /** May change the pending change; `record` is the stored record. */
  beforeUpdate?(change: Partial<Draft<Name>>, record: RecordOf<Name>, scope: ScopeOf): MayBe;
  afterUpdate?(record: RecordOf<Name>, before: RecordOf<Name>, scope: ScopeOf): MayBe;
  beforeDelete?(record: RecordOf<Name>, scope: ScopeOf): MayBe;
  afterDelete?(record: RecordOf<Name>, scope: ScopeOf): MayBe;
  /** Outside of the transaction, once it is kept: mail, messages. A failure here is logged, and undoes nothing. */
  afterCommit?(event: Committed<Name>, scope: ScopeOf): MayBe;
}

/** Something that is committed. */
export type Committed<Name> = Omit<CommitEvent, 'record' | 'before'> & {
  readonly record: RecordOf<Name>;
  readonly before?: RecordOf<Name>;
};

/** The code of an operation: on a record, `scope.record` is that record. */
export type RunOf<Name> = (
  input: Of<Operations, Name, 'input'>,
  scope: ScopeOf & { readonly record: RecordOf<Of<Operations, Name, 'on'>> },
) => unknown;
