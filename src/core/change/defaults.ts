import type { EvaluationContext } from '../expression/context.ts';
import { evaluate } from '../expression/evaluate.ts';
import type { Field } from '../model/field.ts';
import type { Model } from '../model/model.ts';
import { linkedOf } from '../model/related.ts';
import type { FieldValue } from '../model/scalar.ts';
import type { Values } from '../rules/schema.ts';

const isMade = ({ madeDefaults }: Model, field: Field): boolean => madeDefaults.some((made) => made.field === field);

/** The values of absent members of a new record: constants, and computed defaults. */
export function defaultsOf(model: Model): (evaluation: EvaluationContext) => Values {
  const computed = [...model.defaults];
  const constants: Values = Object.fromEntries([
    ...model.fields.map(({ member, rules }): [string, FieldValue] => [member, rules.default ?? null]),
    ...linkedOf(model).map(({ member }): [string, FieldValue] => [member, []]),
  ]);
  return (evaluation) => ({
    ...constants,
    ...Object.fromEntries(
      computed.map(([member, expression]) => [member, evaluate(expression, { values: {}, ...evaluation })]),
    ),
  });
}

/**
 * The members that a replacement resets to their defaults: those that a client could have given. What was worked out
 * when the record was made is kept.
 */
export const clearedByReplace = (model: Model, defaults: Values): Values => ({
  ...Object.fromEntries(
    model.fields
      .filter(({ rules, drawnOn = false }) => !rules.readOnly && !rules.immutable && !rules.writeOnly && !drawnOn)
      .filter((field) => field !== model.key && field.derivedFrom === undefined && !isMade(model, field))
      .map(({ member }) => [member, defaults[member] ?? null]),
  ),
  ...Object.fromEntries(linkedOf(model).map(({ member }) => [member, []])),
});
