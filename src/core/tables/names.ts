import { createHash } from 'node:crypto';

/** Bytes: the shortest limit among the databases that identifiers must fit. */
const LONGEST_NAME = 60;

/** Makes a name of words, and never the same one twice. */
export type Names = (words: readonly string[]) => string;

/** Names for indexes, which share one room with tables; letter case doesn't tell two names apart. */
export function makeNames(taken: readonly string[]): Names {
  const known = new Set(taken.map((name) => name.toLowerCase()));
  return (words) => {
    const whole = words.join('_');
    let name = shortName(whole);
    for (let n = 2; known.has(name.toLowerCase()); n += 1) name = shortName(`${whole}_${n}`);
    known.add(name.toLowerCase());
    return name;
  };
}

/** A name that every database takes; a long one ends with a mark of the whole. */
export function shortName(name: string): string {
  const bytes = new TextEncoder().encode(name);
  if (bytes.length <= LONGEST_NAME) return name;
  const mark = createHash('sha256').update(name).digest('hex').slice(0, 8);
  // What is cut in the middle of a letter is left out.
  const begin = new TextDecoder('utf-8').decode(bytes.slice(0, LONGEST_NAME - 9)).replaceAll('\ufffd', '');
  return `${begin}_${mark}`;
}
