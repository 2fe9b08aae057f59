import type { Expression } from './expression.ts';
import type { Relation } from './relation.ts';

/** One grant. One of a list is enough. */
export type Grant =
  | { readonly kind: 'anybody' | 'signed-in' | 'owner' | 'nobody' }
  /** The maker of the record. */
  | { readonly kind: 'maker' }
  | { readonly kind: 'role'; readonly role: string }
  /** Callers whose address is proved. It is no role: it gives no record another owner. */
  | { readonly kind: 'verified' }
  /** The caller that the relations lead to. */
  | { readonly kind: 'path'; readonly path: readonly Relation[] }
  /** Every caller, on records for which the expression is true; and the text that it was declared as. */
  | { readonly kind: 'where'; readonly where: Expression; readonly text: string }
  /** Callers who may do this verb on the parent. */
  | { readonly kind: 'parent'; readonly verb: Verb };

/** What stands among the roles of callers whose address is proved. No record gives it. */
export const VERIFIED = '(verified)';

export const verbs = ['read', 'create', 'update', 'delete', 'replace', 'clear', 'journal'] as const;
export type Verb = (typeof verbs)[number];

/** Who may do what with a model's records, with all defaults filled in. */
export interface Access {
  readonly verbs: Readonly<Record<Verb, readonly Grant[]>>;
  readonly operations: ReadonlyMap<string, readonly Grant[]>;
  /** Who sees a member; the record's readers where it is not named. */
  readonly fields: ReadonlyMap<string, readonly Grant[]>;
  /** Who may set a member; the record's writers where it is not named. */
  readonly set: ReadonlyMap<string, readonly Grant[]>;
}
