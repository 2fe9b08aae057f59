import type { ExpressionDialect } from '../../core/sql/expression-dialect.ts';
import { bound } from './bound.ts';

/** Beyond the years 1 to 9999 there is no date: what leaves them is null. The session's zone is UTC. */
export const mariadbCalendar: Pick<ExpressionDialect, 'add' | 'part' | 'daysBetween' | 'secondsBetween'> = {
  add(of, kind, { months, days, milliseconds }) {
    const steps = [
      [months, 'MONTH'],
      [days, 'DAY'],
      [milliseconds * 1_000, 'MICROSECOND'],
    ] as const;
    const later = steps.flatMap(([count, unit]) => (count === 0 ? [] : [` + INTERVAL ${count} ${unit}`]));
    if (later.length === 0) return of;
    // There is a year 0 in MariaDB.
    const type = kind === 'date' ? 'date' : 'moment';
    return bound({ x: [`${of}${later.join('')}`, type] }, `CASE WHEN x >= '0001-01-01' THEN x END`);
  },

  part: (part, of) => (part === 'weekday' ? `(weekday(${of}) + 1)` : `${part}(${of})`),

  daysBetween: (from, to) => `datediff(${to}, ${from})`,

  secondsBetween: (from, to) =>
    `round(CAST(timestampdiff(MICROSECOND, ${from}, ${to}) AS DECIMAL(24,0)) * 0.000001, 3)`,
};
