/** A place in an expression: offsets in its text (the end is exclusive), or a JSON Pointer (RFC 6901). */
export type Spot = { readonly from: number; readonly to: number } | { readonly pointer: string };

/**
 * An expression as written, with unresolved names: the common tree of the text and the JSON encoding of CQL2 (OGC
 * 21-065r2).
 */
export type Syntax =
  | { readonly kind: 'text'; readonly value: string; readonly spot: Spot }
  /** As it was written, so that no digit of a decimal is lost. */
  | { readonly kind: 'number'; readonly written: string; readonly spot: Spot }
  | { readonly kind: 'boolean'; readonly value: boolean; readonly spot: Spot }
  | { readonly kind: 'date' | 'timestamp'; readonly value: string; readonly spot: Spot }
  | { readonly kind: 'interval'; readonly ends: readonly [Syntax, Syntax]; readonly spot: Spot }
  | { readonly kind: 'list'; readonly items: readonly Syntax[]; readonly spot: Spot }
  | { readonly kind: 'property'; readonly path: readonly string[]; readonly spot: Spot }
  /** An operator or a function; operators go by their names in CQL2's JSON, in lower case. */
  | { readonly kind: 'call'; readonly op: string; readonly args: readonly Syntax[]; readonly spot: Spot };

export type Call = Syntax & { readonly kind: 'call' };

/** What is wrong with an expression, where, and what to do about it. */
export class ExpressionError extends Error {
  readonly code: 'syntax' | 'unknown-property' | 'unknown-function' | 'wrong-type' | 'too-large' | 'hidden' | 'told';
  readonly remedy: string;
  readonly spot: Spot;

  constructor(code: ExpressionError['code'], message: string, remedy: string, spot: Spot) {
    super(message);
    this.name = 'ExpressionError';
    this.code = code;
    this.remedy = remedy;
    this.spot = spot;
  }
}

/** Bounds on what one expression may cost. */
export const LIMITS = { characters: 8_000, terms: 400, depth: 40, wildcards: 20 } as const;

/** Words that can't name a property, unless in double quotes. */
export const RESERVED = ['and', 'or', 'not', 'like', 'between', 'in', 'is', 'null', 'true', 'false', 'div'] as const;
