import { basename } from 'node:path';

/** A folder's name as a service is called: `tea-house` becomes `Tea House`; empty where it has no letter and digit. */
export function folderTitle(folder: string): string {
  const words = basename(folder)
    .split(/[^\p{L}\p{N}]+/u)
    .filter((word) => word !== '');
  return words.map((word) => word.replace(/^./u, (letter) => letter.toUpperCase())).join(' ');
}
