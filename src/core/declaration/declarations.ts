import type { EndpointName } from '../model/model.ts';
import type { StoreKind } from '../model/service.ts';
import type { TypeName } from '../model/types.ts';

/**
 * What `models/*.yaml` holds, once its shape has been checked against `declaration/model-shape.ts`. Whatever was wrong
 * and complained of is undefined.
 */
export interface ModelDeclaration {
  readonly model: string;
  readonly plural?: string;
  readonly table?: string;
  readonly description?: string;
  readonly deprecated?: boolean;
  readonly label?: string | { readonly text?: string; readonly reveals?: boolean };
  readonly key?: string | readonly string[] | KeyDeclaration;
  readonly stamps?: boolean | StampsDeclaration;
  readonly sort?: string;
  readonly within?: string;
  readonly owner?: string;
  readonly fields?: Named<FieldDeclaration>;
  readonly relations?: Named<RelationDeclaration>;
  readonly computed?: Named<ComputedDeclaration>;
  readonly rules?: readonly RuleDeclaration[];
  readonly unique?: readonly (readonly string[])[];
  readonly index?: readonly (readonly string[])[];
  readonly conditional?: 'required';
  readonly may?: MayDeclaration;
  readonly views?: Named<string | readonly string[]>;
  readonly endpoints?: readonly EndpointName[];
  readonly operations?: Named<OperationDeclaration>;
  readonly draws?: readonly DrawDeclaration[];
  readonly journal?: boolean;
  readonly trial?: { readonly example?: Readonly<Record<string, unknown>>; readonly skip?: readonly string[] };
}

export type Named<Thing> = Readonly<Record<string, Thing | undefined>>;

export interface ValueDeclaration {
  readonly type?: TypeName;
  readonly description?: string;
  readonly deprecated?: boolean;
  readonly examples?: readonly unknown[];
  readonly required?: boolean;
  readonly default?: unknown;
  readonly minLength?: number;
  readonly maxLength?: number;
  readonly pattern?: string;
  readonly format?: string;
  readonly minimum?: number;
  readonly maximum?: number;
  readonly exclusiveMinimum?: number;
  readonly exclusiveMaximum?: number;
  readonly multipleOf?: number;
  readonly scale?: number;
  readonly enum?: readonly unknown[];
  readonly const?: unknown;
  readonly items?: ValueDeclaration;
  readonly minItems?: number;
  readonly maxItems?: number;
  readonly uniqueItems?: boolean;
  readonly properties?: Named<ValueDeclaration>;
  readonly trim?: boolean;
  readonly letters?: 'lower' | 'upper';
  readonly message?: string | Readonly<Record<string, string>>;
}

export interface FieldDeclaration extends ValueDeclaration {
  readonly unique?: boolean | readonly string[];
  readonly reveals?: boolean;
  readonly immutable?: boolean;
  readonly readOnly?: boolean;
  readonly writeOnly?: boolean;
  readonly from?: string;
  readonly column?: string;
}

export interface RelationDeclaration {
  readonly to?: string;
  readonly with?: string;
  readonly from?: string;
  readonly one?: boolean;
  readonly required?: boolean;
  readonly onDelete?: 'restrict' | 'cascade' | 'clear';
  readonly immutable?: boolean;
  readonly description?: string;
  readonly deprecated?: boolean;
  readonly column?: string;
  readonly table?: string;
  readonly columns?: readonly string[] | { readonly own: string; readonly other: string };
}

export interface ComputedDeclaration {
  readonly type?: TypeName;
  readonly scale?: number;
  readonly value?: string;
  readonly description?: string;
  readonly deprecated?: boolean;
  readonly reveals?: boolean;
}

export interface RuleDeclaration {
  readonly check?: string;
  readonly message?: string;
  readonly at?: string;
  readonly reveals?: boolean;
}

export type GrantDeclaration = string | { readonly where?: string };
export type GrantsDeclaration = GrantDeclaration | readonly GrantDeclaration[];

export interface MayDeclaration {
  readonly fields?: Named<GrantsDeclaration>;
  readonly set?: Named<GrantsDeclaration>;
  /** Verbs and operations, by their names. */
  readonly [verb: string]: GrantsDeclaration | Named<GrantsDeclaration> | undefined;
}

export interface OperationDeclaration {
  readonly target?: 'record' | 'list';
  readonly description?: string;
  readonly deprecated?: boolean;
  readonly input?: Named<ValueDeclaration>;
  readonly output?: { readonly one?: string; readonly many?: string } & Named<string | ValueDeclaration>;
  readonly status?: number;
  readonly reads?: boolean;
}

export interface DrawDeclaration {
  readonly from?: string;
  readonly amount?: string | number;
  readonly while?: string;
  readonly refuse?: string;
}

/** What `vantfell.yaml` holds, once its shape has been checked against `declaration/service-shape.ts`. */
export interface ServiceDeclaration {
  readonly service?: {
    readonly name?: string;
    readonly version?: string;
    readonly prefix?: string;
    readonly description?: string;
    readonly contact?: { readonly name?: string; readonly url?: string; readonly email?: string };
    readonly license?: { readonly name: string; readonly url?: string };
    readonly termsOfService?: string;
    readonly servers?: readonly { readonly url: string; readonly description?: string }[];
  };
  readonly key?: string;
  readonly store?: string | { readonly write?: string; readonly read?: readonly string[]; readonly lag?: string };
  readonly tables?: 'ours' | 'theirs' | 'taken-over';
  readonly stores?: readonly StoreKind[];
  readonly identity?: IdentityDeclaration;
  readonly paging?: { readonly default?: number; readonly most?: number };
  readonly limits?: {
    readonly body?: string;
    readonly rate?: string;
    readonly 'sign-in'?: string;
    readonly codes?: string;
    readonly transaction?: string;
    readonly read?: string;
    readonly cascade?: number;
    readonly queue?: number;
    readonly cache?: number | string;
  };
  readonly cors?: {
    readonly origins?: readonly string[];
    readonly credentials?: boolean;
    readonly headers?: readonly string[];
    readonly expose?: readonly string[];
    readonly 'max-age'?: string;
  };
  readonly proxies?: readonly string[];
  readonly shared?: string;
  readonly metrics?: { readonly port?: number };
  readonly console?: { readonly role: string };
}

export interface IdentityDeclaration {
  readonly model?: string;
  readonly login?: string;
  readonly secret?: string;
  readonly roles?: string;
  readonly subject?: string;
  readonly secrets?: { readonly old?: 'required'; readonly refuse?: readonly ('login' | 'common')[] };
  readonly codes?: {
    readonly to?: string;
    readonly verify?: string;
    readonly reset?: string;
    readonly link?: string;
  };
  readonly tokens?: {
    readonly lifetime?: string;
    readonly refresh?: string;
    readonly jwks?: string;
    readonly issuer?: string;
    readonly audience?: string;
    readonly create?: Named<string>;
  };
}

/** A key that the service makes or puts together, under other names than the usual. */
export interface KeyDeclaration {
  readonly type?: 'uuid' | 'serial';
  readonly fields?: readonly string[];
  readonly reveals?: boolean;
  readonly name?: string;
  readonly column?: string;
}

export interface StampsDeclaration {
  readonly created?: StampDeclaration;
  readonly updated?: StampDeclaration;
}

/** A name, or a name and that of its column. */
export type StampDeclaration = string | { readonly name?: string; readonly column?: string };
