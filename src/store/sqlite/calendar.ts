import type { Duration } from '../../core/model/expression.ts';
import type { ExpressionDialect } from '../../core/sql/expression-dialect.ts';
import { bound } from './bound.ts';

/** Dates are `2026-06-12`, dates and times `2026-06-12T14:30:00.000Z`: parts of them stand at fixed places. */
export const sqliteCalendar: Pick<ExpressionDialect, 'add' | 'part' | 'daysBetween' | 'secondsBetween'> = {
  add(of, kind, { months, days, milliseconds }) {
    const later = kind === 'date' ? byDays(byMonths(of, months), days) : byDaysOfMoment(of, { months, days });
    return milliseconds === 0 ? later : byMilliseconds(later, milliseconds);
  },

  part(part, of) {
    if (part === 'weekday') return `((CAST(strftime('%w', ${of}) AS INTEGER) + 6) % 7 + 1)`;
    return `CAST(substr(${of}, ${part === 'year' ? '1, 4' : '6, 2'}) AS INTEGER)`;
  },

  daysBetween: (from, to) => `CAST(julianday(substr(${to}, 1, 10)) - julianday(substr(${from}, 1, 10)) AS INTEGER)`,

  secondsBetween: (from, to) => `(${milliseconds(to)} - ${milliseconds(from)})`,
};

const SINCE_YEAR_1_MS = 62_135_596_800_000;
const MOST_MS = 253_402_300_799_999;

/** Of a date and time, since 1970. */
function milliseconds(of: string): string {
  return bound({ x: of }, `CAST(strftime('%s', x) AS INTEGER) * 1000 + CAST(substr(x, 21, 3) AS INTEGER)`);
}

/** To the last day of a month that has fewer. */
function byMonths(of: string, months: number): string {
  if (months === 0) return of;
  const month = `CAST(substr(x, 1, 4) AS INTEGER) * 12 + CAST(substr(x, 6, 2) AS INTEGER) - 1 + ${months}`;
  const leap = '(y % 4 = 0 AND (y % 100 <> 0 OR y % 400 = 0))';
  const most = `CASE WHEN m = 2 THEN 28 + ${leap} WHEN m IN (4, 6, 9, 11) THEN 30 ELSE 31 END`;
  return bound(
    { x: of },
    `CASE WHEN y BETWEEN 1 AND 9999 THEN printf('%04d-%02d-%02d', y, m, d) END`,
    { n: month, d: 'CAST(substr(x, 9, 2) AS INTEGER)' },
    { y: 'n / 12', m: 'n % 12 + 1', d: 'd' },
    { y: 'y', m: 'm', d: `min(d, ${most})` },
  );
}

function byDays(of: string, days: number): string {
  if (days === 0) return of;
  // What lies beyond the last year is null already.
  return bound({ x: `date(${of}, '${days} days')` }, `CASE WHEN x >= '0001-01-01' THEN x END`);
}

function byDaysOfMoment(of: string, { months, days }: Omit<Duration, 'milliseconds'>): string {
  if (months === 0 && days === 0) return of;
  return bound({ x: of }, `${byDays(byMonths('substr(x, 1, 10)', months), days)} || substr(x, 11)`);
}

function byMilliseconds(of: string, more: number): string {
  const made = `strftime('%Y-%m-%dT%H:%M:%S', t / 1000 - ${SINCE_YEAR_1_MS / 1000}, 'unixepoch')`;
  return bound(
    { t: `${milliseconds(of)} + ${more + SINCE_YEAR_1_MS}` },
    `CASE WHEN t BETWEEN 0 AND ${MOST_MS + SINCE_YEAR_1_MS} THEN ${made} || printf('.%03dZ', t % 1000) END`,
  );
}
