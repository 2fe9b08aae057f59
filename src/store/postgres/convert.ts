import { conversionOf } from '../../core/tables/conversion.ts';
import type { Column } from '../../core/tables/table.ts';
import type { Converted } from '../converted.ts';
import { postgresJsonValue } from './dialect.ts';
import { columnType } from './tables.ts';

/** `x` is an expression of the old type that is not null. */
export function converted(from: Column, to: Column, x: string): Converted {
  const how = conversionOf(from, to);
  const type = columnType(to);
  if (how === 'same') return { value: x };
  if (how === 'each' && (to.type === 'string' || to.type === 'text')) return { value: asText(from, x) };
  if (from.type === 'string' || from.type === 'text')
    return { value: `(${x})::${type}`, fits: `${x} ~ '${formOf(to)}'` };
  switch (`${from.type} ${to.type}`) {
    case 'integer boolean':
      return { value: `${x} = 1`, fits: `${x} IN (0, 1)` };
    case 'boolean integer':
      return { value: `(${x})::int::bigint` };
    case 'number integer':
    case 'decimal integer':
      return { value: `(${x})::bigint`, fits: `${x} = trunc(${x})` };
    case 'number decimal':
      return { value: `(${x})::${type}`, fits: `(${x})::${type}::float8 = ${x}` };
    case 'decimal decimal':
      return to.scale > from.scale
        ? { value: `(${x})::${type}` }
        : { value: `(${x})::${type}`, fits: `${x} = trunc(${x}, ${to.scale})` };
    case 'date date-time':
      return { value: `(${x})::timestamp AT TIME ZONE 'UTC'` };
    case 'date-time date':
      return { value: `(${x} AT TIME ZONE 'UTC')::date` };
    default:
      return { value: `(${x})::${type}` };
  }
}

/** As the value stands in JSON. */
const asText = (column: Column, x: string): string =>
  ['date-time', 'time'].includes(column.type) ? postgresJsonValue(column.type, x) : `(${x})::text`;

/** The texts that say something in a type. */
function formOf({ type, scale }: Column): string {
  switch (type) {
    case 'integer':
      return '^-?[0-9]{1,16}$';
    case 'number':
      return '^-?[0-9]+([.][0-9]+)?([eE][+-]?[0-9]+)?$';
    case 'decimal':
      return scale === 0 ? '^-?[0-9]{1,18}$' : `^-?[0-9]+([.][0-9]{1,${scale}})?$`;
    case 'boolean':
      return '^(true|false)$';
    case 'date':
      return '^[0-9]{4}-(0[1-9]|1[0-2])-(0[1-9]|[12][0-9]|3[01])$';
    case 'time':
      return '^([01][0-9]|2[0-3]):[0-5][0-9]:[0-5][0-9]([.][0-9]{1,3})?$';
    case 'date-time':
      return '^[0-9]{4}-[0-9]{2}-[0-9]{2}T[0-9]{2}:[0-9]{2}:[0-9]{2}([.][0-9]{1,3})?(Z|[+-][0-9]{2}:[0-9]{2})$';
    default:
      return '^[0-9a-fA-F]{8}(-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}$';
  }
}
