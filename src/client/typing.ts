import type { Page, RequestOptions, Some, MakeOptions, WriteOptions, PatchStep } from './runtime.ts';
import type { Models } from './models.ts';

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
export type Shown<M extends ModelName, V extends keyof Views<M>, F, I> = [F] extends [never]
  ? Including<M, Views<M>[V], I>
  : Including<M, Picked<M, F>, Exclude<I, Head<F> | `${Head<F>}.${string}`>>;

export interface ShownOptions<M extends ModelName, V, F, I> extends RequestOptions {
  /** Which view of each record. */
  readonly view?: V;
  /** Exactly which members. */
  readonly fields?: readonly (F & FieldPath<M>)[];
  /** Related records to bring along. */
  readonly include?: readonly (I & IncludePath<M>)[];
}

export interface ListOptions<M extends ModelName> {
  /** Members that have a value, or any of several. */
  readonly where?: Models[M]['where'];
  /** A condition in CQL2. */
  readonly filter?: string;
  readonly sort?: readonly (Models[M]['sort'] | `${'' | '-'}${keyof One<M> & string}.${string}`)[];
  readonly limit?: number;
  readonly offset?: number;
  /** Whether to count all records. */
  readonly total?: boolean;
}

export interface Lists<M extends ModelName, Usual extends keyof Views<M>> {
  /** One page. */
  list<V extends keyof Views<M> = Usual, F extends FieldPath<M> = never, I extends IncludePath<M> = never>(
    options?: ListOptions<M> & ShownOptions<M, V, F, I>,
  ): Promise<Page<Shown<M, V, F, I>>>;
  /** All records, page by page as they are needed. */
  each<V extends keyof Views<M> = Usual, F extends FieldPath<M> = never, I extends IncludePath<M> = never>(
    options?: ListOptions<M> & ShownOptions<M, V, F, I>,
  ): AsyncGenerator<Shown<M, V, F, I>, void>;
}

export interface Reads<M extends ModelName> {
  read<V extends keyof Views<M> = 'default', F extends FieldPath<M> = never, I extends IncludePath<M> = never>(
    key: Models[M]['key'],
    options?: ShownOptions<M, V, F, I>,
  ): Promise<Shown<M, V, F, I>>;
}

export interface Creates<M extends ModelName, Body> {
  create(body: Body, options?: MakeOptions): Promise<Models[M]['made']>;
  /** All of them, or none. */
  createMany(bodies: readonly Body[], options?: MakeOptions): Promise<readonly Models[M]['made'][]>;
}

export interface Replaces<M extends ModelName, Body> {
  replace(key: Models[M]['key'], body: Body, options?: WriteOptions): Promise<Models[M]['made']>;
}

export interface Updates<M extends ModelName, Body> {
  /** Changes the members that are given. */
  update(key: Models[M]['key'], changes: Body, options?: WriteOptions): Promise<Models[M]['made']>;
  /** A JSON Patch. */
  patch(key: Models[M]['key'], steps: readonly PatchStep[], options?: WriteOptions): Promise<Models[M]['made']>;
}

export interface Deletes<M extends ModelName> {
  delete(key: Models[M]['key'], options?: WriteOptions): Promise<void>;
}

export interface Clears<M extends ModelName> {
  /** Deletes the records that a condition or values choose. */
  clear(options: Pick<ListOptions<M>, 'where' | 'filter'> & RequestOptions): Promise<{ readonly deleted: number }>;
}

/** Something that was done to a record. */
export interface JournalLine {
  readonly id: string;
  readonly record: string;
  readonly at: string;
  readonly by?: string | null;
  readonly action: 'create' | 'update' | 'delete';
  readonly changes: Readonly<Record<string, { readonly before?: unknown; readonly after?: unknown }>>;
}

export interface JournalOptions extends RequestOptions {
  readonly where?: { readonly action?: JournalLine['action']; readonly by?: string; readonly record?: string };
  readonly filter?: string;
  readonly limit?: number;
  readonly total?: boolean;
}

export interface JournalLists {
  list(options?: JournalOptions): Promise<Page<JournalLine>>;
  each(options?: JournalOptions): AsyncGenerator<JournalLine, void>;
}
