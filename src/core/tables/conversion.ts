import type { TypeName } from '../model/types.ts';
import type { Column, Shape } from './table.ts';

type Typed = Pick<Column, 'type' | 'scale' | 'shape'>;

/**
 * What becomes of a column's values when its type changes: they stay as they are, each has another form, or only those
 * go over that say the same in the new type. Undefined where there is no way.
 */
export type Conversion = 'same' | 'each' | 'checked';

const TEXTS: readonly TypeName[] = ['string', 'text', 'email', 'uri'];
const PLAIN: readonly TypeName[] = ['string', 'text'];
const WRITABLE: readonly TypeName[] = ['integer', 'number', 'decimal', 'boolean', 'date', 'time', 'date-time', 'uuid'];

const OTHERS = new Map<string, Conversion>([
  ['integer number', 'checked'],
  ['integer decimal', 'checked'],
  ['integer boolean', 'checked'],
  ['number integer', 'checked'],
  ['number decimal', 'checked'],
  ['number string', 'checked'],
  ['number text', 'checked'],
  ['decimal integer', 'checked'],
  ['decimal number', 'checked'],
  ['boolean integer', 'each'],
  ['date date-time', 'each'],
  ['date-time date', 'checked'],
  ['array json', 'same'],
  ['object json', 'same'],
  ['json array', 'checked'],
  ['json object', 'checked'],
]);

export function conversionOf(from: Typed, to: Typed): Conversion | undefined {
  const within = (types: readonly TypeName[]): boolean => types.includes(from.type) && types.includes(to.type);
  if (from.type === 'decimal' && to.type === 'decimal') return from.scale === to.scale ? 'same' : 'checked';
  if (from.type === to.type) return isSameInside(from.shape, to.shape) ? 'same' : 'checked';
  if (within(TEXTS)) return 'same';
  const known = OTHERS.get(`${from.type} ${to.type}`);
  if (known !== undefined) return known;
  if (WRITABLE.includes(from.type) && PLAIN.includes(to.type)) return 'each';
  return PLAIN.includes(from.type) && WRITABLE.includes(to.type) ? 'checked' : undefined;
}

/** Whether values are made of the same; where nothing is known of one, nothing has changed. */
export function isSameInside(one: Shape | undefined, other: Shape | undefined): boolean {
  if (one === undefined || other === undefined) return true;
  return ordered(one) === ordered(other);
}

/** The same text for the same shape, in whatever order its members stand. */
const ordered = (shape: Shape): string =>
  JSON.stringify(shape, (_name, inner: unknown) =>
    typeof inner === 'object' && inner !== null
      ? Object.fromEntries(Object.entries(inner).sort(([one], [other]) => (one < other ? -1 : 1)))
      : inner,
  );
