import { own } from '../../core/text/own.ts';
import type { TypeName } from '../../core/model/types.ts';
import { MOST_WHOLE } from '../../core/tables/catalogue.ts';
import type { ColumnKind } from '../../core/tables/catalogue.ts';
import { asTexts, mostOf } from '../sql/column-kind.ts';

/** What the catalogue says of a column's type, with domains seen through. */
export interface PostgresType {
  /** As `format_type` writes it: `character varying(20)`. */
  readonly name: string;
  /** `e` an enum, `b` a base type, … */
  readonly sort: string;
  readonly labels: readonly string[];
  /** Undefined where its texts are ordered by code points. */
  readonly collation: string | undefined;
}

/** Texts that mean something to the database: it would refuse others. */
const WRITTEN = ['inet', 'cidr', 'macaddr', 'macaddr8', 'interval', 'xml', 'time with time zone', 'pg_lsn'];
const INTEGERS: Readonly<Record<string, number>> = { smallint: 32_767, integer: 2_147_483_647, bigint: MOST_WHOLE };
/** What the items of an array are; other arrays have no form in JSON that could be written back. */
const ITEMS: Readonly<Record<string, TypeName>> = {
  ...{ text: 'string', 'character varying': 'string', smallint: 'integer', integer: 'integer', bigint: 'integer' },
  ...{ boolean: 'boolean', 'double precision': 'number', uuid: 'uuid', date: 'date' },
};

/** What a field makes of a column of such a type; undefined where its values have no form in JSON. */
export function columnKind(type: PostgresType): ColumnKind | undefined {
  if (type.sort === 'e') return { type: 'string', as: asTexts('written'), enum: type.labels, isNamed: true };
  const [, base = '', inside, rest = ''] =
    /^([a-z_"A-Z0-9 ]+?)(?:\((.*?)\))?((?: with(?:out)? time zone)?(?:\[\])?)$/.exec(type.name) ?? [
      type.name,
      type.name,
    ];
  if (rest.endsWith('[]')) {
    const items = own(ITEMS, base);
    return items === undefined ? undefined : { type: 'array', items, as: { array: 'array', json: 'array' } };
  }
  return plain(base + rest, inside, type);
}

function plain(base: string, inside: string | undefined, { collation }: PostgresType): ColumnKind | undefined {
  const most = own(INTEGERS, base);
  if (most !== undefined) {
    const bounds = base === 'bigint' ? {} : { minimum: -most - 1, maximum: most };
    const as = {
      integer: base === 'bigint' ? '' : 'whole',
      number: '',
      decimal: 'numeric',
      boolean: 'whole as boolean',
    };
    return { type: 'integer', as, ...bounds };
  }
  switch (base) {
    case 'text':
    case 'citext':
    case 'name':
    case 'character':
    case 'character varying': {
      const isOwn = collation === undefined && (base === 'text' || base === 'character varying');
      const maxLength = inside === undefined ? undefined : Number(inside);
      const as = { ...asTexts(isOwn ? '' : 'text'), secret: isOwn ? '' : 'text' };
      return { type: maxLength === undefined && base === 'text' ? 'text' : 'string', as, maxLength };
    }
    case 'numeric':
      return numeric(inside);
    case 'money':
      return { type: 'decimal', scale: 2, as: { decimal: 'money' } };
    case 'real':
      return { type: 'number', as: { number: 'real' } };
    case 'double precision':
      return { type: 'number', as: { number: '' } };
    case 'boolean':
    case 'date':
    case 'uuid':
      return { type: base, as: { [base]: '' } };
    case 'bit':
      return inside === '1' ? { type: 'boolean', as: { boolean: 'bit' } } : undefined;
    case 'json':
      return { type: 'json', as: { json: '', array: '', object: '' } };
    case 'jsonb':
      return { type: 'json', as: { json: 'json', array: 'json', object: 'json' } };
    case 'time without time zone':
      return { type: 'time', as: { time: isShort(inside) ? '' : 'time' } };
    case 'timestamp with time zone':
      return { type: 'date-time', as: { 'date-time': isShort(inside) ? '' : 'moment' } };
    case 'timestamp without time zone':
      return { type: 'date-time', as: { 'date-time': isShort(inside) ? 'short local moment' : 'local moment' } };
    default:
      return WRITTEN.includes(base) ? { type: 'string', as: asTexts('written'), readOnly: true } : undefined;
  }
}

/** Whether no digit stands beyond the millisecond. */
const isShort = (precision: string | undefined): boolean => precision !== undefined && Number(precision) <= 3;

/** Where a column sets none. */
const USUAL_SCALE = 6;

function numeric(inside: string | undefined): ColumnKind {
  if (inside === undefined) return { type: 'decimal', scale: USUAL_SCALE, as: { decimal: 'numeric' } };
  const [digits = 0, scale = 0] = inside.split(',').map(Number);
  const most = scale >= 0 ? mostOf(digits, scale) : undefined;
  const bounds = most === undefined ? {} : { minimum: -most, maximum: most };
  return { type: 'decimal', scale: Math.max(0, scale), as: { decimal: 'numeric' }, ...bounds };
}
