import type { Field } from '../model/field.ts';
import type { Scalar } from '../model/scalar.ts';
import { isWritten } from '../model/types.ts';
import { decimalOfNumber, rescale } from '../text/decimal.ts';
import type { Check, LimitRule } from './table.ts';

/**
 * The rules of a field that a database can keep as well, so that nothing that goes past the service can break them.
 * Patterns and formats are not among them: databases read those differently. Of a secret the database has but a hash.
 */
export function checksOf({ type, scale, rules, drawnOn = false }: Field): Check[] {
  if (type === 'secret') return [];
  const limits: [LimitRule, number | undefined][] = [
    ['minLength', leastLength(type, rules)],
    ['maxLength', rules.maxLength],
    ['minimum', rules.minimum],
    // What was drawn can always be given back: a maximum binds those who set the stock.
    ['maximum', drawnOn ? undefined : rules.maximum],
    ['exclusiveMinimum', rules.exclusiveMinimum],
    ['exclusiveMaximum', drawnOn ? undefined : rules.exclusiveMaximum],
    ['multipleOf', isExact(type, scale, rules.multipleOf) ? rules.multipleOf : undefined],
  ];
  const values = rules.enum ?? (isConstant(type, rules.const) ? [rules.const as Scalar] : undefined);
  return [
    ...limits.flatMap(([rule, limit]): Check[] =>
      limit === undefined || isIdle(rule, limit) ? [] : [{ rule, limit }],
    ),
    ...(values === undefined ? [] : [{ rule: 'enum', values } as const]),
  ];
}

/** Whether any value keeps it. */
const isIdle = (rule: LimitRule, limit: number): boolean => rule === 'minLength' && limit === 0;

/** A text that must be given must not be empty. */
function leastLength(type: Field['type'], rules: Field['rules']): number | undefined {
  const plain = type === 'string' || type === 'text';
  return rules.minLength ?? (rules.required && plain && rules.enum === undefined ? 1 : undefined);
}

/** Whether a database finds the same multiples as the service: it does where whole numbers decide. */
const isExact = (type: Field['type'], scale: number, step: number | undefined): boolean =>
  step !== undefined && type !== 'number' && rescale(decimalOfNumber(step), scale) !== undefined;

const isConstant = (type: Field['type'], value: unknown): boolean =>
  value !== undefined &&
  value !== null &&
  (isWritten(type) || ['integer', 'number', 'decimal', 'boolean'].includes(type));
