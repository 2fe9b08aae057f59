import { isAbsolute, relative } from 'node:path';

/** A path as people read it best: from where they stand, unless that leads up and away. */
export function shownPath(path: string): string {
  const fromHere = relative(process.cwd(), path);
  return fromHere.startsWith('..') || isAbsolute(fromHere) ? path : fromHere || '.';
}
