import type { EndpointName } from './graph.ts';
import type { TypeName } from './types.ts';

/**
 * What `models/*.yaml` holds, once its shape has been checked against `declaration/model-shape.ts`. Whatever was wrong
 * and complained of is undefined.
 */
export interface ModelDeclaration {
  readonly model: string;
  readonly plural?: string;
  readonly table?: string;
  readonly description?: string;
  readonly key?: string;
  readonly stamps?: boolean;
  readonly sort?: string;
  readonly within?: string;
  readonly fields?: Readonly<Record<string, FieldDeclaration | undefined>>;
  readonly relations?: Readonly<Record<string, RelationDeclaration | undefined>>;
  readonly unique?: readonly (readonly string[])[];
  readonly index?: readonly (readonly string[])[];
  readonly endpoints?: readonly EndpointName[];
}

export interface FieldDeclaration {
  readonly type?: TypeName;
  readonly description?: string;
  readonly examples?: readonly unknown[];
  readonly required?: boolean;
  readonly default?: unknown;
  readonly minLength?: number;
  readonly maxLength?: number;
  readonly pattern?: string;
  readonly minimum?: number;
  readonly maximum?: number;
  readonly exclusiveMinimum?: number;
  readonly exclusiveMaximum?: number;
  readonly multipleOf?: number;
  readonly scale?: number;
  readonly enum?: readonly unknown[];
  readonly const?: unknown;
  readonly trim?: boolean;
  readonly letters?: 'lower' | 'upper';
  readonly unique?: boolean | readonly string[];
  readonly immutable?: boolean;
  readonly readOnly?: boolean;
  readonly message?: string | Readonly<Record<string, string>>;
  readonly column?: string;
}

export interface RelationDeclaration {
  readonly to?: string;
  readonly required?: boolean;
  readonly onDelete?: 'restrict' | 'cascade' | 'clear';
  readonly immutable?: boolean;
  readonly description?: string;
  readonly column?: string;
}
