import type { Expression } from '../model/expression.ts';
import type { Field } from '../model/field.ts';
import type { Identity } from '../model/identity.ts';
import type { Model } from '../model/model.ts';
import type { Step, Via } from '../model/relation.ts';
import type { Letters } from './letters.ts';
import type { Spot } from './syntax.ts';

/** The part of a model that expressions can name. */
export type Nameable = Pick<
  Model,
  'name' | 'key' | 'byMember' | 'shownByMember' | 'relations' | 'links' | 'reverses' | 'parent'
>;

/** What expressions can ask of callers. */
export const callerNames = ({ roleNames, codes }: Identity, key: Field): NonNullable<NameScope['caller']> => ({
  key,
  roles: roleNames,
  proves: codes?.verify !== undefined,
});

/** What the names in an expression can mean. */
export interface NameScope {
  /** The model whose records it is over; undefined where it is over none. */
  readonly model?: Nameable;
  readonly models: ReadonlyMap<string, Nameable>;
  /** In a condition over each of the records behind a path: that path, and what other names mean. */
  readonly each?: { readonly path: readonly string[]; readonly outer: NameScope };
  /** The names of a model's computed values. */
  computedNames(model: string): Iterable<string>;
  /** A computed value of a model; undefined where there is none that can be used. */
  computed(model: string, name: string): Expression | undefined;
  /** The key of callers, the roles they may have, and whether they prove their address; undefined: nobody signs in. */
  readonly caller?: { readonly key: Field; readonly roles?: readonly string[]; readonly proves?: boolean };
  /** The declaration of this name is wrong, and reported already. */
  isBroken?(model: string, name: string): boolean;
  /** The condition for the author of the expression to see a member; a false condition hides it. */
  sees?(model: string, name: string): boolean | Expression;
  /** A member's value as they see it: null where it is hidden from them. */
  seen?(model: string, member: string, value: Expression): Expression;
  /** What has to be true of a record behind a relation to be there for them. */
  guard?(model: string, via: Step | Via): Expression | undefined;
  readonly letters: Letters;
  /** The database knows none of them: it has none of the tool's own tables. */
  readonly withoutLetters?: boolean;
  /** The models' author writes it, not a client: problems may name hidden members and impossible values. */
  strange?(message: string, remedy: string, spot: Spot): void;
}
