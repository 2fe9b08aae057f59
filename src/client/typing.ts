import type { Page, PatchStep, Some } from './collections.ts';
import type { Wanted } from './cql.ts';
import type { Models } from './models.ts';
import type { MakeOptions, RequestOptions, WriteOptions } from './options.ts';

export type ModelName = keyof Models;

type Own<M extends ModelName> = Models[M]['own'];
type One<M extends ModelName> = Models[M]['one'];
type Many<M extends ModelName> = Models[M]['many'];
type Views<M extends ModelName> = Models[M]['views'];
type Whole<M extends ModelName> = Views<M>['default'];
type Of<Names, R extends keyof Names> = Names[R] extends ModelName ? Names[R] : never;

/** How much further a path may go. */
type Less = [never, 0, 1, 2];

/** What `fields` may name: members, and those of related records, `warden.name`. */
export type FieldPath<M extends ModelName, Deep extends number = 2> =
  | (keyof Own<M> & string)
  | (Deep extends 0
      ? never
      : | { [R in keyof One<M> & string]: `${R}.${FieldPath<Of<One<M>, R>, Less[Deep]>}` }[keyof One<M> & string]
        | { [R in keyof Many<M> & string]: `${R}.${FieldPath<Of<Many<M>, R>, Less[Deep]>}` }[keyof Many<M> & string]);

/** What `include` may name: relations, and those of the records that they lead to, `nights.stays`. */
export type IncludePath<M extends ModelName, Deep extends number = 2> =
  | (keyof One<M> & string)
  | (keyof Many<M> & string)
  | (Deep extends 0
      ? never
      : | { [R in keyof One<M> & string]: `${R}.${IncludePath<Of<One<M>, R>, Less[Deep]>}` }[keyof One<M> & string]
        | { [R in keyof Many<M> & string]: `${R}.${IncludePath<Of<Many<M>, R>, Less[Deep]>}` }[keyof Many<M> & string]);

/** What a list may be sorted by: values, and those of the one record that a relation leads to, `warden.name`. */
export type SortPath<M extends ModelName, Deep extends number = 2> =
  | Models[M]['sort']
  | `CASEI(${Models[M]['texts']})`
  | (Deep extends 0
      ? never
      : { [R in keyof One<M> & string]: `${R}.${SortPath<Of<One<M>, R>, Less[Deep]>}` }[keyof One<M> & string]);

type Head<P> = P extends `${infer H}.${string}` ? H : never;
type First<P> = P extends `${infer H}.${string}` ? H : P;
type Rest<P, H extends string> = P extends `${H}.${infer T}` ? T : never;
type Flat<T> = { [K in keyof T]: T[K] };

/** Exactly the members that paths name. */
type Picked<M extends ModelName, P> = Pick<Own<M>, Extract<P, keyof Own<M>>> & {
  [R in Extract<Head<P>, keyof One<M>> & string]: Picked<Of<One<M>, R>, Rest<P, R>> | null;
} & { [R in Extract<Head<P>, keyof Many<M>> & string]: Some<Picked<Of<Many<M>, R>, Rest<P, R>>> };

/** A record with the related ones that paths name. */
type Including<M extends ModelName, Base, P> = [P] extends [never]
  ? Base
  : Flat<
      Omit<Base, First<P> & string> & {
        [R in Extract<First<P>, keyof One<M>> & string]: Including<
          Of<One<M>, R>,
          Whole<Of<One<M>, R>>,
          Rest<P, R>
        > | null;
      } & {
        [R in Extract<First<P>, keyof Many<M>> & string]: Some<
          Including<Of<Many<M>, R>, Whole<Of<Many<M>, R>>, Rest<P, R>>
        >;
      }
    >;

/** The record in an answer, by what was requested. */
export type Shown<M extends ModelName, V extends keyof Views<M>, F, I, Y = false> = ([F] extends [never]
  ? Including<M, Views<M>[V], I>
  : Including<M, Picked<M, F>, Exclude<I, Head<F> | `${Head<F>}.${string}`>>) &
  ([Y] extends [true] ? { readonly may: readonly Models[M]['acts'][] } : unknown);

/** What is shown of each record: a view, or exactly the members that `fields` names. */
export type ShownOptions<M extends ModelName, V, F, I, Y> = RequestOptions & {
  /** Related records to bring along. */
  readonly include?: readonly (I & IncludePath<M>)[] | undefined;
  /** Whether each record tells, as `may`, what the caller may do with it. */
  readonly may?: Y | undefined;
} & (
    | {
        /** Which view of each record. */
        readonly view?: V | undefined;
        readonly fields?: undefined;
      }
    | {
        /** Exactly which members. */
        readonly fields: readonly (F & FieldPath<M>)[];
        readonly view?: undefined;
      }
  );

/** What members must be: a value, null, any of several, or `{ gte: 8 }`, `{ contains: 'grey' }`. */
export type Where<M extends ModelName> = { readonly [K in keyof Models[M]['where']]?: Wanted<Models[M]['where'][K]> };

/** Which records a list has, and in which order. */
export interface ListOptions<M extends ModelName> {
  readonly where?: Where<M> | undefined;
  /** A condition in CQL2; `cql` quotes the values in one. */
  readonly filter?: string | undefined;
  /** A minus for descending. */
  readonly sort?: readonly (SortPath<M> | `-${SortPath<M>}`)[] | undefined;
  /** How many records a page has at most; 0 with `total` counts alone. */
  readonly limit?: number | undefined;
  /** The `next` of a page: the records after it. */
  readonly after?: string | null | undefined;
  /** The `prev` of a page: the records before it. */
  readonly before?: string | null | undefined;
  readonly offset?: number | undefined;
  /** Whether to count all records. */
  readonly total?: boolean | undefined;
  /** Whether the records have their ETags, for `ifMatch`; `limit` is 25 at most then. */
  readonly etags?: boolean | undefined;
}

export interface Lists<M extends ModelName, Usual extends keyof Views<M>> {
  list<
    V extends keyof Views<M> = Usual,
    F extends FieldPath<M> = never,
    I extends IncludePath<M> = never,
    Y extends boolean = false,
  >(
    options?: ListOptions<M> & ShownOptions<M, V, F, I, Y>,
  ): Promise<Page<Shown<M, V, F, I, Y>>>;
  each<
    V extends keyof Views<M> = Usual,
    F extends FieldPath<M> = never,
    I extends IncludePath<M> = never,
    Y extends boolean = false,
  >(
    options?: ListOptions<M> & ShownOptions<M, V, F, I, Y>,
  ): AsyncGenerator<Shown<M, V, F, I, Y>, void>;
}

export interface Reads<M extends ModelName> {
  read<
    V extends keyof Views<M> = 'default',
    F extends FieldPath<M> = never,
    I extends IncludePath<M> = never,
    Y extends boolean = false,
  >(
    key: Models[M]['key'],
    options?: ShownOptions<M, V, F, I, Y>,
  ): Promise<Shown<M, V, F, I, Y>>;
}

/** The caller's own record. */
export type ReadsMe<M extends ModelName> = <
  V extends keyof Views<M> = 'default',
  F extends FieldPath<M> = never,
  I extends IncludePath<M> = never,
  Y extends boolean = false,
>(
  options?: ShownOptions<M, V, F, I, Y>,
) => Promise<Shown<M, V, F, I, Y>>;

export interface Creates<M extends ModelName, Body> {
  create(body: Body, options?: MakeOptions): Promise<Models[M]['created']>;
  createMany(bodies: readonly Body[], options?: MakeOptions): Promise<readonly Models[M]['created'][]>;
}

export interface Replaces<M extends ModelName, Body> {
  replace(key: Models[M]['key'], body: Body, options?: WriteOptions): Promise<Models[M]['changed']>;
}

export interface Updates<M extends ModelName, Body> {
  update(key: Models[M]['key'], changes: Body, options?: WriteOptions): Promise<Models[M]['changed']>;
  patch(key: Models[M]['key'], steps: readonly PatchStep[], options?: WriteOptions): Promise<Models[M]['changed']>;
}

export interface Deletes<M extends ModelName> {
  delete(key: Models[M]['key'], options?: WriteOptions): Promise<void>;
}

export interface Clears<M extends ModelName> {
  clear(options: Pick<ListOptions<M>, 'where' | 'filter'> & RequestOptions): Promise<{ readonly deleted: number }>;
}

/** Something that was done to a record. */
export interface JournalLine {
  readonly id: string;
  readonly record: string;
  readonly at: string;
  readonly by?: string | null;
  readonly action: 'create' | 'update' | 'delete';
  /** The operation that did it; null for a plain write. */
  readonly operation: string | null;
  readonly changes: Readonly<Record<string, Change>>;
  /** What the record and whoever changed it are called, where `labels` asks for it; null for what is hidden or gone. */
  readonly label?: string | null;
  readonly by_label?: string | null;
}

/** What a member was, and what it became; of a key with `labels`, what its record is called too. */
interface Change {
  readonly before?: unknown;
  readonly after?: unknown;
  readonly before_label?: unknown;
  readonly after_label?: unknown;
}

type JournalMember = 'id' | 'record' | 'at' | 'by' | 'action' | 'operation';

export interface JournalOptions extends RequestOptions {
  readonly where?:
    | {
        readonly [K in Exclude<JournalMember, 'operation'>]?: Wanted<
          K extends 'action' ? JournalLine['action'] : string
        >;
      }
    | undefined;
  readonly filter?: string | undefined;
  readonly sort?: readonly (JournalMember | `-${JournalMember}`)[] | undefined;
  readonly limit?: number | undefined;
  readonly after?: string | null | undefined;
  readonly before?: string | null | undefined;
  readonly offset?: number | undefined;
  readonly total?: boolean | undefined;
  /** Whether lines say what records are called. */
  readonly labels?: boolean | undefined;
}

export interface JournalLists {
  /** One page of lines, the latest first. */
  list(options?: JournalOptions): Promise<Page<JournalLine>>;
  /** All lines, page by page as they are needed. */
  each(options?: JournalOptions): AsyncGenerator<JournalLine, void>;
}
