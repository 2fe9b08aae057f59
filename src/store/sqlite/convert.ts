import { conversionOf } from '../../core/tables/conversion.ts';
import type { Column } from '../../core/tables/table.ts';
import type { Converted } from '../converted.ts';
import { decimalText } from './dialect.ts';
import { doubleText } from './double.ts';

/** `x` is an expression of the old type that is not null. */
export function converted(from: Column, to: Column, x: string): Converted {
  const how = conversionOf(from, to);
  if (how === 'same') return { value: x };
  if (how === 'each' && (to.type === 'string' || to.type === 'text')) return { value: asText(from, x) };
  if (from.type === 'string' || from.type === 'text') return fromText(to, x);
  const unit = (column: Column): number => 10 ** column.scale;
  switch (`${from.type} ${to.type}`) {
    case 'integer number':
      return { value: `CAST(${x} AS REAL)` };
    case 'integer decimal':
      return { value: to.scale === 0 ? x : `${x} * ${unit(to)}` };
    case 'integer boolean':
      return { value: x, fits: `${x} IN (0, 1)` };
    case 'number integer':
      return { value: `CAST(${x} AS INTEGER)`, fits: `CAST(${x} AS INTEGER) = ${x}` };
    case 'number decimal': {
      const value = `CAST(round(${x} * ${unit(to)}) AS INTEGER)`;
      return { value, fits: `${value} / ${unit(to)}.0 = ${x}` };
    }
    case 'decimal integer':
      return { value: `${x} / ${unit(from)}`, fits: `${x} % ${unit(from)} = 0` };
    case 'decimal number':
      return { value: `${x} / ${unit(from)}.0` };
    case 'decimal decimal': {
      const step = 10 ** Math.abs(to.scale - from.scale);
      return to.scale > from.scale
        ? { value: `${x} * ${step}` }
        : { value: `${x} / ${step}`, fits: `${x} % ${step} = 0` };
    }
    case 'date date-time':
      return { value: `${x} || 'T00:00:00.000Z'` };
    case 'date-time date':
      return { value: `substr(${x}, 1, 10)` };
    default:
      return { value: x };
  }
}

function asText({ type, scale }: Column, x: string): string {
  switch (type) {
    case 'integer':
      return `CAST(${x} AS TEXT)`;
    case 'number':
      return doubleText(x);
    case 'decimal':
      return decimalText(scale, x);
    case 'boolean':
      return `CASE ${x} WHEN 1 THEN 'true' ELSE 'false' END`;
    default:
      return x;
  }
}

/** The functions of JSON know a number when they see one; those of dates, a date. */
function fromText({ type, scale }: Column, x: string): Converted {
  const isNumber = `CASE WHEN json_valid(${x}) THEN json_type(${x}) END IN ('integer', 'real')`;
  switch (type) {
    case 'integer':
      return { value: `CAST(${x} AS INTEGER)`, fits: `CAST(CAST(${x} AS INTEGER) AS TEXT) = ${x}` };
    case 'number':
      return { value: `CAST(${x} AS REAL)`, fits: isNumber };
    case 'decimal': {
      const digits = `CASE instr(${x}, '.') WHEN 0 THEN 0 ELSE length(${x}) - instr(${x}, '.') END`;
      const value = `CAST(replace(${x}, '.', '') || substr('${'0'.repeat(scale)}', 1 + ${digits}) AS INTEGER)`;
      return { value, fits: `${isNumber} AND ${x} NOT GLOB '*[eE]*' AND ${digits} <= ${scale}` };
    }
    case 'boolean':
      return { value: `${x} = 'true'`, fits: `${x} IN ('true', 'false')` };
    case 'date':
      return { value: x, fits: `${x} IS date(${x})` };
    case 'time':
      return { value: x, fits: `${x} IS time(${x})` };
    case 'date-time': {
      const value = `strftime('%Y-%m-%dT%H:%M:%fZ', ${x})`;
      return { value, fits: `${x} GLOB '????-??-??T*' AND ${value} IS NOT NULL` };
    }
    default: {
      const hex = '[0-9a-f]';
      const form = [8, 4, 4, 4, 12].map((count) => hex.repeat(count)).join('-');
      return { value: `lower(${x})`, fits: `lower(${x}) GLOB '${form}'` };
    }
  }
}
