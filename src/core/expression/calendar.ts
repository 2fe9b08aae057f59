import type { CalendarPart, Duration } from '../model/expression.ts';
import { daysIn } from '../model/value.ts';

const DAYS = '(?:(\\d{1,6})Y)?(?:(\\d{1,6})M)?(?:(\\d{1,6})W)?(?:(\\d{1,7})D)?';
const CLOCK = 'T(?!$)(?:(\\d{1,8})H)?(?:(\\d{1,10})M)?(?:(\\d{1,12})(?:\\.(\\d{1,3}))?S)?';
const FORM = new RegExp(`^([+-]?)P(?!$)${DAYS}(?:${CLOCK})?$`);

const DAY_MS = 86_400_000;
const MOST_YEARS = 10_000;

/** A duration of ISO 8601, with a sign before it where it goes back: `P14D`, `-PT2H`, `P1Y6M`. Undefined for none. */
export function readDuration(text: string): Duration | undefined {
  const found = FORM.exec(text);
  if (found === null) return undefined;
  const [, sign, ...parts] = found;
  const [years, months, weeks, days, hours, minutes, seconds] = parts.slice(0, 7).map((one) => Number(one ?? 0));
  const way = sign === '-' ? -1 : 1;
  const signed = (count: number): number => (count === 0 ? 0 : way * count);
  const clock = ((hours! * 60 + minutes!) * 60 + seconds!) * 1_000 + Number((parts[7] ?? '').padEnd(3, '0'));
  return {
    months: signed(years! * 12 + months!),
    days: signed(weeks! * 7 + days!),
    milliseconds: signed(clock),
  };
}

/** Longer than all time that a date can be in. */
export const isEndless = ({ months, days, milliseconds }: Duration): boolean =>
  Math.abs(months) / 12 + Math.abs(days) / 365 + Math.abs(milliseconds) / DAY_MS / 365 > MOST_YEARS;

/** `2026-06-12` as the milliseconds of its beginning; also of a date and time, in UTC. */
const beginOf = (text: string): number => Date.parse(`${text.slice(0, 10)}T00:00:00.000Z`);

/** A date, or a date and time, later by a duration: first by its months, to the last day of a shorter one. */
export function addedTo(text: string, { months, days, milliseconds }: Duration): string | null {
  const count = Number(text.slice(0, 4)) * 12 + Number(text.slice(5, 7)) - 1 + months;
  const [year, month] = [Math.floor(count / 12), (count % 12) + 1];
  if (!isYear(year)) return null;
  const day = Math.min(Number(text.slice(8, 10)), daysIn(year, month));
  const begin = new Date(0).setUTCFullYear(year, month - 1, day);
  const clock = text.length > 10 ? Date.parse(text) - beginOf(text) : 0;
  const made = new Date(begin + days * DAY_MS + clock + milliseconds);
  return isYear(made.getUTCFullYear()) ? made.toISOString().slice(0, text.length) : null;
}

const isYear = (year: number): boolean => year >= 1 && year <= 9999;

/** Whole days from one to another; a date and time counts as its day in UTC. */
export const daysBetween = (from: string, to: string): number => (beginOf(to) - beginOf(from)) / DAY_MS;

/** Milliseconds from one date and time to another. */
export const millisecondsBetween = (from: string, to: string): bigint => BigInt(Date.parse(to) - Date.parse(from));

/** Weekdays are those of ISO 8601: 1 is Monday, 7 is Sunday. */
export function partOf(part: CalendarPart, text: string): number {
  if (part === 'year') return Number(text.slice(0, 4));
  if (part === 'month') return Number(text.slice(5, 7));
  return new Date(beginOf(text)).getUTCDay() || 7;
}
