import type { TypeName } from '../model/types.ts';
import type { Column } from './table.ts';

/**
 * What becomes of a column's values when its type changes: they stay as they are, each has another form, only those go
 * over that say the same in the new type, or they lose their time of day. Undefined where there is no way.
 */
export type Conversion = 'same' | 'each' | 'checked' | 'cut';

const TEXTS: readonly TypeName[] = ['string', 'text', 'email', 'uri'];
const PLAIN: readonly TypeName[] = ['string', 'text'];
const NESTED: readonly TypeName[] = ['json', 'array', 'object'];
const WRITABLE: readonly TypeName[] = ['integer', 'number', 'decimal', 'boolean', 'date', 'time', 'date-time', 'uuid'];

const OTHERS: Readonly<Record<string, Conversion>> = {
  'integer number': 'each',
  'integer decimal': 'each',
  'integer boolean': 'checked',
  'number integer': 'checked',
  'number decimal': 'checked',
  'decimal integer': 'checked',
  'decimal number': 'each',
  'boolean integer': 'each',
  'date date-time': 'each',
  'date-time date': 'cut',
};

export function conversionOf(
  from: Pick<Column, 'type' | 'scale'>,
  to: Pick<Column, 'type' | 'scale'>,
): Conversion | undefined {
  if (from.type === 'decimal' && to.type === 'decimal') {
    return from.scale === to.scale ? 'same' : from.scale < to.scale ? 'each' : 'checked';
  }
  const within = (types: readonly TypeName[]): boolean => types.includes(from.type) && types.includes(to.type);
  if (from.type === to.type || within(TEXTS) || within(NESTED)) return 'same';
  if (WRITABLE.includes(from.type) && PLAIN.includes(to.type)) return 'each';
  if (PLAIN.includes(from.type) && WRITABLE.includes(to.type)) return 'checked';
  return OTHERS[`${from.type} ${to.type}`];
}
