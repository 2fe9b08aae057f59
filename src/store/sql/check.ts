import type { Scalar } from '../../core/model/scalar.ts';
import type { Check, Column, LimitRule } from '../../core/tables/table.ts';

/** What databases spell differently in a check. */
export interface CheckSpelling {
  length(x: string): string;
  literal(column: Column, value: NonNullable<Scalar>): string;
  /** A limit as values of the column are compared with it. */
  limit(column: Column, limit: number): string;
  /** What is left of a division, as it compares with 0. */
  rest(x: string, step: string): string;
}

const comparisons: Readonly<Record<Exclude<LimitRule, 'multipleOf'>, string>> = {
  minLength: '>=',
  maxLength: '<=',
  minimum: '>=',
  maximum: '<=',
  exclusiveMinimum: '>',
  exclusiveMaximum: '<',
};

/** A condition on `x`, a value of the column; null where that is null. */
export function checkSql(column: Column, check: Check, x: string, spell: CheckSpelling): string {
  switch (check.rule) {
    case 'enum':
      return `${x} IN (${check.values.map((value) => spell.literal(column, value!)).join(', ')})`;
    case 'multipleOf':
      return `${spell.rest(x, spell.limit(column, check.limit))} = 0`;
    case 'minLength':
    case 'maxLength':
      return `${spell.length(x)} ${comparisons[check.rule]} ${check.limit}`;
    default:
      return `${x} ${comparisons[check.rule]} ${spell.limit(column, check.limit)}`;
  }
}
