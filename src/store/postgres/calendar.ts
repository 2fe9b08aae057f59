import type { Kind } from '../../core/model/expression.ts';
import type { ExpressionDialect } from '../../core/sql/expression-dialect.ts';
import { bound } from './bound.ts';

const HOUR_MS = 3_600_000;

/** Dates and times are looked at in UTC, whatever the zone of the session. */
export const postgresCalendar: Pick<ExpressionDialect, 'add' | 'part' | 'daysBetween' | 'secondsBetween'> = {
  add(of, kind, { months, days, milliseconds }) {
    const hours = Math.trunc(milliseconds / HOUR_MS);
    const seconds = (milliseconds - hours * HOUR_MS) / 1000;
    const interval = `make_interval(months => ${months}, days => ${days}, hours => ${hours}, secs => ${seconds})`;
    const later = `${utc(of, kind)} + ${interval}`;
    const made = kind === 'date' ? `(${later})::date` : `((${later}) AT TIME ZONE 'UTC')::timestamptz(3)`;
    const [first, last] =
      kind === 'date'
        ? [`'0001-01-01'::date`, `'9999-12-31'::date`]
        : [`'0001-01-01T00:00:00Z'::timestamptz`, `'9999-12-31T23:59:59.999Z'::timestamptz`];
    return bound({ x: made }, `CASE WHEN x BETWEEN ${first} AND ${last} THEN x END`);
  },

  part: (part, of, kind) => `(extract(${part === 'weekday' ? 'isodow' : part} FROM ${utc(of, kind)}))::bigint`,

  daysBetween: (from, to, [fromKind, toKind]) => `(${utc(to, toKind)}::date - ${utc(from, fromKind)}::date)::bigint`,

  secondsBetween(from, to) {
    const seconds = (of: string): string => `(extract(epoch FROM ${of}))::numeric`;
    return `round(${seconds(to)} - ${seconds(from)}, 3)`;
  },
};

/** As a timestamp without a zone. */
const utc = (of: string, kind: Kind): string =>
  kind === 'date' ? `((${of})::timestamp)` : `((${of}) AT TIME ZONE 'UTC')`;
