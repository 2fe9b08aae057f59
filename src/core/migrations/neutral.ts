import type { Check, Column, Fill } from '../tables/table.ts';
import { decimalOfNumber, formatDecimal, rescale } from '../text/decimal.ts';

/** The simplest value that passes the checks of a column; undefined if none is known. */
export function exampleOf(column: Column): Fill | undefined {
  const [only] = column.checks.flatMap((check) => (check.rule === 'enum' ? check.values : []));
  if (only !== undefined && only !== null) return { value: only };
  switch (column.type) {
    case 'integer':
    case 'number':
      return { value: numberOf(column) };
    case 'decimal': {
      const exact = rescale(decimalOfNumber(numberOf(column)), column.scale);
      return exact === undefined ? undefined : { value: formatDecimal(exact) };
    }
    case 'boolean':
      return { value: false };
    case 'date':
      return { value: '1970-01-01' };
    case 'time':
      return { value: '00:00:00' };
    case 'date-time':
      return { value: '1970-01-01T00:00:00.000Z' };
    case 'uuid':
      return { value: '00000000-0000-4000-8000-000000000000' };
    case 'json':
    case 'object':
      return { value: {} };
    case 'array':
      return { value: [] };
    case 'secret':
      return { value: '-' };
    default:
      return { value: '-'.repeat(limitOf(column.checks, 'minLength') ?? 0) };
  }
}

const limitOf = (checks: readonly Check[], rule: Check['rule']): number | undefined =>
  checks.flatMap((check) => (check.rule === rule && check.rule !== 'enum' ? [check.limit] : []))[0];

/** Zero, or the nearest allowed number. */
function numberOf({ checks, type, scale }: Column): number {
  const step = limitOf(checks, 'multipleOf') ?? (type === 'decimal' ? 10 ** -scale : 1);
  const past = (limit: number | undefined, by: number): number | undefined =>
    limit === undefined ? undefined : limit + by;
  const low = limitOf(checks, 'minimum') ?? past(limitOf(checks, 'exclusiveMinimum'), step);
  const high = limitOf(checks, 'maximum') ?? past(limitOf(checks, 'exclusiveMaximum'), -step);
  if (low !== undefined && low > 0) return Number((Math.ceil(low / step) * step).toPrecision(15));
  if (high !== undefined && high < 0) return Number((Math.floor(high / step) * step).toPrecision(15));
  return 0;
}
