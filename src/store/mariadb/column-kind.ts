import { own } from '../../core/text/own.ts';
import { MOST_WHOLE } from '../../core/tables/catalogue.ts';
import type { ColumnKind } from '../../core/tables/catalogue.ts';
import { asTexts, mostOf } from '../sql/column-kind.ts';
import { COLLATION } from './bound.ts';

/** What the catalogue says of a column's type. */
export interface MariadbType {
  /** `varchar`. */
  readonly base: string;
  /** `varchar(20)`, `int(10) unsigned`, `enum('a','b')`. */
  readonly whole: string;
  readonly length: number | undefined;
  readonly digits: number | undefined;
  readonly scale: number | undefined;
  /** Digits of a second. */
  readonly fraction: number | undefined;
  readonly collation: string | undefined;
  /** The character set of text. */
  readonly letters: string | undefined;
  /** Whether a check says that it is JSON. */
  readonly isJson: boolean;
}

const INTEGERS: Readonly<Record<string, number>> = {
  ...{ tinyint: 127, smallint: 32_767, mediumint: 8_388_607, int: 2_147_483_647, bigint: MOST_WHOLE },
};

/** What a field makes of a column of such a type; undefined where its values have no form in JSON. */
export function columnKind(type: MariadbType): ColumnKind | undefined {
  const { base, whole, length, fraction = 0 } = type;
  if (whole === 'tinyint(1)') return { type: 'boolean', as: { boolean: '', integer: '' } };
  const most = own(INTEGERS, base);
  if (most !== undefined) return integer(most, whole.includes('unsigned'), base === 'bigint');
  switch (base) {
    case 'bit':
      return whole === 'bit(1)' ? { type: 'boolean', as: { boolean: 'bit' } } : undefined;
    case 'decimal':
      return decimal(type);
    case 'float':
      return { type: 'number', as: { number: 'float' } };
    case 'double':
      return { type: 'number', as: { number: '' } };
    case 'year':
      return { type: 'integer', as: { integer: 'year' }, minimum: 1901, maximum: 2155 };
    case 'date':
      return { type: 'date', as: { date: '' } };
    case 'datetime':
    case 'timestamp':
      return { type: 'date-time', as: { 'date-time': fraction === 3 ? '' : fraction < 3 ? 'moment' : 'long moment' } };
    case 'time':
      return { type: 'time', as: { time: fraction === 3 ? '' : fraction < 3 ? 'time' : 'long time' } };
    case 'uuid':
      return { type: 'uuid', as: { uuid: 'text' } };
    case 'inet4':
    case 'inet6':
      return { type: 'string', as: asTexts('text'), readOnly: true };
    case 'set':
      return { type: 'array', items: 'string', enum: valuesIn(whole), as: { array: 'set' } };
    case 'enum':
      return { type: 'string', as: asTexts(formOf(type)), enum: valuesIn(whole) };
    case 'char':
    case 'varchar':
      return {
        type: base === 'char' && length === 36 && type.collation === COLLATION ? 'uuid' : 'string',
        as: { ...asTexts(formOf(type)), uuid: formOf(type), secret: formOf(type) },
        maxLength: length,
        widest: widestOf(type),
      };
    case 'tinytext':
    case 'text':
    case 'mediumtext':
    case 'longtext':
      return text(type);
    default:
      return undefined;
  }
}

/** Text in another character set can't be compared with any text as it stands. */
const formOf = ({ collation, letters }: MariadbType): string =>
  collation === COLLATION ? '' : letters === 'utf8mb4' || letters === undefined ? 'text' : 'other letters';

/** The greatest code point of a character set, as far as it is sure. */
const WIDEST: Readonly<Record<string, number>> = {
  ascii: 0x7f,
  latin1: 0xff,
  utf8mb3: 0xffff,
  utf8: 0xffff,
  ucs2: 0xffff,
};
const widestOf = ({ letters = 'utf8mb4' }: MariadbType): number | undefined =>
  letters.startsWith('utf8mb4') || letters.startsWith('utf16') || letters === 'utf32'
    ? undefined
    : (own(WIDEST, letters) ?? 0x7f);

function text(type: MariadbType): ColumnKind {
  const form = formOf(type);
  const nested = { json: form, array: form, object: form };
  if (type.isJson) return { type: 'json', as: { ...nested, text: form } };
  // Bytes are counted: as many letters surely fit.
  const bytes: Readonly<Record<string, number>> = { tinytext: 63, text: 16_383 };
  const maxLength = own(bytes, type.base);
  return { type: 'text', as: { ...asTexts(form), ...nested, secret: form }, maxLength, widest: widestOf(type) };
}

function integer(most: number, isUnsigned: boolean, isBig: boolean): ColumnKind {
  const as = { integer: '', number: '', decimal: '', boolean: '' };
  if (isUnsigned) return { type: 'integer', as, minimum: 0, ...(isBig ? {} : { maximum: most * 2 + 1 }) };
  return { type: 'integer', as, ...(isBig ? {} : { minimum: -most - 1, maximum: most }) };
}

function decimal({ digits = 10, scale = 0, whole }: MariadbType): ColumnKind {
  const most = mostOf(digits, scale);
  const least = whole.includes('unsigned') ? 0 : most && -most;
  return { type: 'decimal', scale, as: { decimal: '' }, minimum: least, maximum: most };
}

/** `enum('a','it''s')`. */
const valuesIn = (whole: string): string[] =>
  [...whole.matchAll(/'((?:[^']|'')*)'/g)].map(([, value]) => value!.replaceAll("''", "'"));
