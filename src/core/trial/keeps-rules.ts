import { evaluate } from '../expression/evaluate.ts';
import type { Expression } from '../model/expression.ts';
import type { Model } from '../model/model.ts';
import type { FieldValue } from '../model/scalar.ts';
import { isKept } from './case.ts';
import type { Body } from './case.ts';

type Values = Readonly<Record<string, FieldValue>>;

/** The values of a record that a body makes. Keys of records that are yet to be made stand for themselves. */
export const valuesOf = (model: Model, body: Body): Values =>
  Object.fromEntries(
    model.fields.map(({ member, rules }): [string, FieldValue] => {
      const given = body[member];
      if (isKept(given)) return [member, given.kept];
      return [member, given === undefined ? (rules.default ?? null) : (given as FieldValue)];
    }),
  );

export const isFalse = (check: Expression, values: Values, now: Date): boolean =>
  evaluate(check, { values, now }) === false;

/**
 * Whether a body that keeps the rules of each field keeps those across them too, as far as its own values tell: no two
 * records that are yet to be made are the same.
 */
export function keepsRules(model: Model, body: Body, now: Date): boolean {
  const values = valuesOf(model, body);
  return model.rules.every(({ check, ownValues }) => !ownValues || !isFalse(check, values, now));
}
