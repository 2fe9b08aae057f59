import type { Grant } from '../model/access.ts';
import { isOfLetters, walk } from '../model/expression.ts';
import type { Expression } from '../model/expression.ts';
import { USUAL_LONGEST } from '../model/field.ts';
import type { Field, Rules } from '../model/field.ts';
import type { Model } from '../model/model.ts';

/**
 * Bounds texts whose letters the project's own expressions go through, one by one: a service does so with each record,
 * and a text of a megabyte would hold it up. A declared maxLength is the bound where there is one.
 */
export function boundLetters(models: readonly Model[]): void {
  const bound = (field: Field): unknown => Object.assign(field.rules satisfies Rules, { longest: USUAL_LONGEST });
  for (const expression of models.flatMap(expressionsOf)) {
    walk(expression, (node) => {
      if (!isOfLetters(node)) return;
      walk(node, (inner) => {
        if (inner.op === 'field') bound(inner.field);
      });
    });
  }
}

function expressionsOf({ computed, madeDefaults, rules, draws, access }: Model): Expression[] {
  const grants: readonly Grant[] = [
    ...Object.values(access.verbs),
    ...access.operations.values(),
    ...access.fields.values(),
    ...access.set.values(),
  ].flat();
  return [
    ...[...computed, ...madeDefaults].map(({ value }) => value),
    ...rules.map(({ check }) => check),
    ...draws.flatMap(({ amount, while: condition }) => (condition === undefined ? [amount] : [amount, condition])),
    ...grants.flatMap((grant) => (grant.kind === 'where' ? [grant.where] : [])),
  ];
}
