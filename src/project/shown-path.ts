import { isAbsolute, relative } from 'node:path';

/** A path as people read it best: from where they stand, unless that leads up and away. */
export function shownPath(path: string): string {
  const fromHere = relative(process.cwd(), path);
  return fromHere.startsWith('..') || isAbsolute(fromHere) ? path : fromHere || '.';
}

/** The address of a store as a person reads it: a file by its path from here. */
export const shownStore = (address: string): string =>
  address.startsWith('sqlite:') ? `sqlite:${shownPath(address.slice('sqlite:'.length))}` : address;
