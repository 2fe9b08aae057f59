import { pointerTo } from '../api/failure.ts';
import type { Failure } from '../api/failure.ts';
import type { FieldValue, Scalar } from '../model/scalar.ts';
import { fromText } from '../model/value.ts';
import type { Values } from '../rules/schema.ts';
import { didYouMean } from '../text/nearest.ts';
import { nameOf } from './order.ts';
import { memberField, memberLinks } from './read.ts';
import type { RowProblem, SampleRow } from './read.ts';

/** A sample that a row refers to and that has no record, or none yet. */
export interface Missing {
  readonly sample: string;
  /** The member that the value is for. */
  readonly member: string;
  /** It stands in the files, but its record has not been made. */
  readonly known: boolean;
}

/**
 * The row with its members' own names, and the keys that its relations' handles stand for: a handle goes before a key.
 */
export async function withKeys(
  row: SampleRow,
  keyOfSample: (sample: string) => Promise<Scalar | undefined>,
  handles: ReadonlySet<string>,
  waiting?: ReadonlySet<string>,
): Promise<{ values: Values; missing: Missing[] }> {
  const values: Record<string, unknown> = {};
  const missing: Missing[] = [];
  for (const [member, value] of Object.entries(row.values)) {
    const field = memberField(row.model, member);
    const links = memberLinks(row.model, member);
    if (waiting?.has(links?.member ?? field?.member ?? member) === true) continue;
    if (links !== undefined && Array.isArray(value)) {
      values[links.member] = await keysOf(links, value);
      continue;
    }
    if (field?.refersTo === undefined || typeof value !== 'string') {
      values[field?.member ?? member] = value;
      continue;
    }
    const sample = `${field.refersTo}/${value}`;
    const key = await keyOfSample(sample);
    const known = handles.has(sample);
    const read = fromText(field, value);
    if (key !== undefined) values[field.member] = key;
    else if (known || 'fault' in read) missing.push({ sample, member: field.member, known });
    else values[field.member] = read.value;
  }
  return { values: values as Readonly<Record<string, FieldValue>>, missing };

  /**
   * The keys that the handles of a many-to-many relation stand for; what is no text is left for the rules to refuse.
   */
  async function keysOf({ member, target, key }: Linked, given: readonly unknown[]): Promise<unknown[]> {
    const keys: unknown[] = [];
    for (const value of given) {
      const sample = `${target}/${String(value)}`;
      const found = typeof value === 'string' ? await keyOfSample(sample) : undefined;
      const read = typeof value === 'string' ? fromText(key, value) : { value };
      if (found !== undefined) keys.push(found);
      else if (handles.has(sample) || 'fault' in read) missing.push({ sample, member, known: handles.has(sample) });
      else keys.push(read.value);
    }
    return keys;
  }
}

/** A row with nothing but the members that waited. */
export const waitingOnly = (row: SampleRow, members: ReadonlySet<string>): SampleRow => ({
  ...row,
  values: Object.fromEntries(
    [...members].map((member) => givenName(row, member)).map((name) => [name, row.values[name]]),
  ),
});

type Linked = NonNullable<ReturnType<typeof memberLinks>>;

export function missingSample(
  row: SampleRow,
  { sample, member, known }: Missing,
  handles: ReadonlySet<string>,
): RowProblem {
  const place = row.at(givenName(row, member));
  if (known) {
    const message = `${nameOf(row)} and ${sample} need each other in a circle, so neither can be made first`;
    const remedy = 'let one of the relations of the circle be null: leave out its required';
    return { code: 'loaded-later', severity: 'error', message, remedy, place, row: nameOf(row) };
  }
  const alike = [...handles].filter((handle) => handle.startsWith(sample.slice(0, sample.indexOf('/') + 1)));
  const message = `${nameOf(row)}: there is no sample ${sample}, and it is no key`;
  // As it was written: a relation knows its model.
  const short = (handle: string): string => handle.slice(handle.indexOf('/') + 1);
  const remedy = didYouMean(short(sample), alike.map(short));
  return { code: 'unknown-record', severity: 'error', message, remedy, place, row: nameOf(row) };
}

/** The problems of a row, without references that are reported already. */
export function problemsOf(row: SampleRow, failures: readonly Failure[], missing: readonly Missing[]): RowProblem[] {
  return failures
    .filter(({ pointer }) => !missing.some(({ member }) => pointer === pointerTo(member)))
    .map(({ pointer, rule, detail }) => {
      const given = givenName(row, pointer.slice(1));
      return {
        code: rule,
        severity: 'error',
        message: `${nameOf(row)}: ${pointer === '' ? '' : rule === 'unknown' ? `${given}: ` : `${given} `}${detail}`,
        remedy: 'mend the row; nothing was loaded',
        place: row.at(given),
        row: nameOf(row),
      };
    });
}

/** The name under which a row gives a member: a relation goes by its own name too. */
export const givenName = (row: SampleRow, member: string): string =>
  Object.keys(row.values).find(
    (name) => (memberField(row.model, name) ?? memberLinks(row.model, name))?.member === member,
  ) ?? member;
