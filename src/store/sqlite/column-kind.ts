import type { TypeName } from '../../core/model/types.ts';
import type { ColumnKind } from '../../core/tables/catalogue.ts';

/** Values that are there: of which kinds, and one of each kind from both ends. */
export interface SeenValues {
  /** As `typeof` tells: `text`, `integer`, `real`, `blob`. */
  readonly kinds: readonly string[];
  readonly least: string | number | null;
  readonly most: string | number | null;
  /** A text that does not begin as a date does, where there is one. */
  readonly undated: string | null;
}

const TEXTS: readonly TypeName[] = [
  'string',
  'text',
  'email',
  'uri',
  'uuid',
  'date',
  'time',
  'secret',
  'json',
  'array',
  'object',
];

/**
 * What a field makes of a column: SQLite lets any column hold anything, so its declared type counts as far as the
 * values that are there bear it out. Undefined where they have no form in JSON.
 */
export function columnKind(declared: string, isBinary: boolean, seen: SeenValues): ColumnKind | undefined {
  if (seen.kinds.includes('blob')) return undefined;
  const type = declared.toLowerCase();
  const [, base = type, inside] = /^([^(]*?) *\((.*)\)/.exec(type) ?? [];
  const [first, second] = inside === undefined ? [] : inside.split(',').map(Number);
  const isText = seen.kinds.length > 0 && seen.kinds.every((kind) => kind === 'text');
  const isNumber = !seen.kinds.includes('text');
  if (type === 'blob') return undefined;
  if (base.includes('bool') || (base === 'tinyint' && first === 1) || base === 'bit')
    return isNumber ? { type: 'boolean', as: { boolean: '', integer: '', ...AS_TEXT } } : mixed(seen, '0 or 1');
  if (/date.*time|timestamp/.test(base)) return moment(seen);
  if (/^date$/.test(base)) return isText || seen.kinds.length === 0 ? dayOrMoment(isBinary, seen) : moment(seen);
  if (/^time$/.test(base))
    return isNumber && seen.kinds.length > 0 ? integer() : { ...text(isBinary, undefined), type: 'time' };
  if (/uuid|guid/.test(base)) return uuid(isBinary, seen);
  if (base.includes('json'))
    return isNumber && seen.kinds.length > 0 ? integer() : { ...text(isBinary, undefined), type: 'json' };
  if (base.includes('int')) return isNumber ? integer() : mixed(seen, 'a whole number');
  if (/char|clob|text|string/.test(base)) return text(isBinary, /char|string/.test(base) ? first : undefined);
  if (/dec|numeric|money|number/.test(base)) {
    if (!isNumber) return mixed(seen, 'a number');
    const scale = second ?? (first === undefined || Number.isNaN(first) ? undefined : 0);
    if (scale === undefined && !/dec|money/.test(base)) return number();
    return { type: 'decimal', scale: scale ?? 2, as: { decimal: 'decimal', number: '', integer: '', ...AS_TEXT } };
  }
  if (/real|floa|doub/.test(base)) return isNumber ? number() : mixed(seen, 'a number');
  if (isText || seen.kinds.length === 0) return text(isBinary, undefined);
  return seen.kinds.includes('text') ? mixed(seen) : seen.kinds.includes('real') ? number() : integer();
}

/** Whatever a column holds can be read as a text. */
const AS_TEXT = { text: 'mixed', string: 'mixed' } as const;

const number = (): ColumnKind => ({ type: 'number', as: { number: '', decimal: 'decimal', ...AS_TEXT } });

const integer = (): ColumnKind => ({
  type: 'integer',
  as: { integer: '', number: '', decimal: 'decimal', boolean: '', 'date-time': 'seconds', ...AS_TEXT },
});

/** A column with values that are not what its type says. */
function mixed({ kinds, undated, least, most }: SeenValues, wanted?: string): ColumnKind {
  const strange = undated ?? [most, least].find((value) => typeof value === 'string') ?? most;
  const told =
    wanted === undefined
      ? `it holds values of several kinds, ${kinds.join(' and ')}: a text`
      : `it holds ${JSON.stringify(strange)}, which is not ${wanted}: a text`;
  return { type: 'text', as: AS_TEXT, told };
}

function uuid(isBinary: boolean, seen: SeenValues): ColumnKind {
  const strange = [seen.least, seen.most].find((value) => value !== null && !UUID.test(String(value)));
  if (strange === undefined) return { ...text(isBinary, undefined), type: 'uuid' };
  return {
    ...text(isBinary, undefined),
    type: 'string',
    told: `it holds ${JSON.stringify(strange)}, which is no UUID: a string`,
  };
}

function text(isBinary: boolean, length: number | undefined): ColumnKind {
  const form = isBinary ? '' : 'text';
  const as = Object.fromEntries(TEXTS.map((type) => [type, form]));
  const maxLength = length === undefined || Number.isNaN(length) ? undefined : length;
  return {
    type: maxLength === undefined ? 'text' : 'string',
    as: { ...as, 'date-time': '' },
    maxLength,
  };
}

/** Beyond it, seconds since 1970 would be in the year 5138: they are milliseconds. */
const SECONDS = 100_000_000_000;
const OWN = /^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d\.\d{3}Z$/;
const WRITTEN = /^\d{4}-\d\d-\d\d([ T]\d\d:\d\d(:\d\d(\.\d+)?)?(Z|[+-]\d\d:\d\d)?)?$/;

/** A date and time, in the form that its values have: the least and the greatest tell. */
function moment(seen: SeenValues): ColumnKind {
  const { kinds, least, most, undated } = seen;
  const as = (form: string): ColumnKind => ({ type: 'date-time', as: { 'date-time': form, ...AS_TEXT } });
  if (kinds.length === 0) return as('to the second');
  if (kinds.every((kind) => kind === 'integer')) return as(Number(most) > SECONDS ? 'milliseconds' : 'seconds');
  const ends = [String(least), String(most)];
  if (undated !== null || !kinds.every((kind) => kind === 'text') || !ends.every((one) => WRITTEN.test(one)))
    return mixed(seen, 'a date and time');
  if (ends.every((one) => OWN.test(one))) return { ...as(''), as: { 'date-time': '', text: '', string: '' } };
  return as(ends.some((one) => one.includes('.')) ? 'to the millisecond' : 'to the second');
}

function dayOrMoment(isBinary: boolean, seen: SeenValues): ColumnKind {
  const isDay = (value: string | number | null): boolean => value === null || /^\d{4}-\d\d-\d\d$/.test(String(value));
  const isDays = isDay(seen.least) && isDay(seen.most) && seen.undated === null;
  return isDays ? { ...text(isBinary, undefined), type: 'date' } : moment(seen);
}

const UUID = /^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$/;
