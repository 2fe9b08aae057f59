import { whereParts } from './cql.ts';
import type { CqlValue, Wanted } from './cql.ts';

/** The parameters of a request; `where` becomes one for each of its members, or a part of `filter`. */
export type Query = Readonly<Record<string, unknown>>;

/** The query of a URL; undefined where no record can be meant. */
export function queryText({ where, filter, ...rest }: Query = {}): string | undefined {
  const query = new URLSearchParams();
  const { parameters, conditions, isNothing } = whereParts(
    (where ?? undefined) as Readonly<Record<string, Wanted<CqlValue>>> | undefined,
  );
  if (isNothing) return undefined;
  for (const [name, value] of parameters) query.append(name, value);
  const given = typeof filter === 'string' && filter.trim() !== '' ? [filter] : [];
  const whole = conditions.length === 0 ? given : [...given.map((one) => `(${one})`), ...conditions];
  if (whole.length > 0) query.append('filter', whole.join(' AND '));
  type Plain = string | number | boolean | readonly string[] | null | undefined;
  for (const [name, value] of Object.entries(rest as Readonly<Record<string, Plain>>)) {
    const isEmpty = value === undefined || value === null || (Array.isArray(value) && value.length === 0);
    if (!isEmpty) query.append(name, String(value));
  }
  const text = query.toString();
  return text === '' ? '' : `?${text}`;
}
