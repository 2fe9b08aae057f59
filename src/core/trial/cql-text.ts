import type { ValueSpec } from '../model/field.ts';
import type { FieldValue } from '../model/scalar.ts';

/** A value as a query parameter has it. */
export const parameterText = (value: unknown): string => (typeof value === 'string' ? value : JSON.stringify(value));

/** A text between the quotes of CQL2. */
export const quote = (text: string): string => text.replaceAll("'", "''");

/** A value that is not null, as a literal of CQL2. */
export function literal({ type }: Pick<ValueSpec, 'type'>, value: FieldValue): string {
  if (typeof value !== 'string')
    return typeof value === 'boolean' ? String(value).toUpperCase() : JSON.stringify(value);
  if (type === 'date') return `DATE('${value}')`;
  if (type === 'date-time') return `TIMESTAMP('${value}')`;
  return type === 'decimal' ? value : `'${quote(value)}'`;
}
