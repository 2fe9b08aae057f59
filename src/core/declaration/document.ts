import type { Declared, KnownText, ReadDocuments, Source, Spot } from './declared.ts';
import { parsedDocuments } from './parsed-documents.ts';
import type { Place } from './problem.ts';

/** Reads the YAML (or JSON) documents of one file. Runs nothing, expands nothing. */
export function readDocuments(source: Source): ReadDocuments {
  if (source.known !== undefined) return { documents: knownDocuments(source, source.known), problems: [], lost: [] };
  const read = parsedDocuments(source);
  if (read.problems.length > 0 || source.learn === undefined) return read;
  const known = { values: read.documents.map(({ value }) => value), places: {} };
  source.learn(known);
  return { ...read, documents: knownDocuments(source, known, read.documents) };
}

/**
 * Reading a text takes nearly all of the time for the places in it: they are worked out when a problem needs one, and
 * kept for the next time.
 */
function knownDocuments(source: Source, { values, places }: KnownText, read?: readonly Declared[]): Declared[] {
  let parsed = read;
  const known: Record<string, Spot> = { ...places };
  const text: KnownText = { values, places: known };
  const placeOf = (asked: readonly unknown[], index: number, find: (document: Declared) => Place): Place => {
    const name = JSON.stringify([index, ...asked]);
    const spot = Object.hasOwn(known, name) ? known[name] : undefined;
    if (spot !== undefined) return placed(source.file, spot);
    const place = find((parsed ??= parsedDocuments(source).documents)[index]!);
    known[name] = [place.line, place.column, place.endLine, place.endColumn];
    source.learn?.(text);
    return place;
  };
  return values.map((value, index) => ({
    file: source.file,
    value,
    at: (path, part) => placeOf([path, part ?? 'value'], index, (document) => document.at(path, part)),
    within: (path, from, to) => placeOf([path, from, to], index, (document) => document.within(path, from, to)),
  }));
}

const placed = (file: string, [line, column, endLine, endColumn]: Spot): Place => ({
  ...{ file, line, column, endLine, endColumn },
});
