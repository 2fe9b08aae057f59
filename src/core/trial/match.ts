import { own } from '../text/own.ts';
import { isRecord } from '../text/value.ts';
import type { Fault } from './answer.ts';
import { faultOf, sameAs } from './judge.ts';

const isNumber = (value: unknown): boolean =>
  typeof value === 'number' || (typeof value === 'string' && /^-?\d+(\.\d+)?$/.test(value));

/**
 * What stands for a value instead of being one: a word and what goes with it; whether a value fits, and in words what
 * would.
 */
const MATCHERS: Readonly<
  Record<string, (given: unknown, value: unknown, kept: ReadonlyMap<string, unknown>) => string | undefined>
> = {
  matches: (given, value) =>
    typeof value === 'string' && new RegExp(String(given), 'u').test(value)
      ? undefined
      : `a text that matches ${String(given)}`,
  above: (given, value) =>
    isNumber(value) && Number(value) > Number(given) ? undefined : `more than ${String(given)}`,
  below: (given, value) =>
    isNumber(value) && Number(value) < Number(given) ? undefined : `less than ${String(given)}`,
  between(given, value) {
    const [low, high] = given as [number, number];
    return isNumber(value) && Number(value) >= low && Number(value) <= high ? undefined : `from ${low} to ${high}`;
  },
  length(given, value) {
    const size = typeof value === 'string' ? [...value].length : Array.isArray(value) ? value.length : undefined;
    return size === given ? undefined : `of length ${String(given)}`;
  },
  contains(given, value) {
    const isIn =
      typeof value === 'string'
        ? value.includes(String(given))
        : Array.isArray(value) && value.some((item) => matchFaults(given, item, '', new Map()).length === 0);
    return isIn ? undefined : `something with ${JSON.stringify(given)} in it`;
  },
  any: (_given, value) => (value === undefined ? 'any value' : undefined),
  missing: (_given, value) => (value === undefined ? undefined : 'nothing'),
  'same-as': (given, value, kept) =>
    JSON.stringify(kept.get(String(given))) === JSON.stringify(value)
      ? undefined
      : `what was kept as ${String(given)}: ${JSON.stringify(kept.get(String(given)))}`,
};

export const matcherNames = Object.keys(MATCHERS);

const isMatcher = (value: unknown): value is Readonly<Record<string, unknown>> =>
  isRecord(value) && Object.keys(value).length === 1 && Object.hasOwn(MATCHERS, Object.keys(value)[0]!);

/** Where a value is not as expected: members that are not named are free, lists are compared item by item. */
export function matchFaults(
  wanted: unknown,
  value: unknown,
  place: string,
  kept: ReadonlyMap<string, unknown>,
): Fault[] {
  const at = place === '' ? 'the body' : place;
  if (isMatcher(wanted)) {
    const [[name, given]] = Object.entries(wanted) as [[string, unknown]];
    const expected = own(MATCHERS, name)!(given, value, kept);
    return expected === undefined ? [] : [{ ...faultOf(at, '', value), expected }];
  }
  if (isRecord(wanted)) {
    if (!isRecord(value)) return [faultOf(at, wanted, value)];
    return Object.entries(wanted).flatMap(([name, inner]) =>
      matchFaults(inner, own(value, name), `${place}/${name}`, kept),
    );
  }
  if (Array.isArray(wanted)) {
    if (!Array.isArray(value) || value.length !== wanted.length) return [faultOf(at, wanted, value)];
    return wanted.flatMap((inner, index) => matchFaults(inner, value[index], `${place}/${index}`, kept));
  }
  return sameAs(at, wanted, value);
}
