import { readdirSync, statSync } from 'node:fs';
import { join, sep } from 'node:path';

/** How often files are looked at. */
const LOOK_MS = 200;

/**
 * Calls back with the name of a file that has changed and was left alone since the look before: one of a project's
 * files and folders with these names, whether they are there yet or not. What it returns ends it.
 *
 * It looks at the files again and again, instead of being told of changes: what tells of them begins a moment after it
 * says so, and loses what happens meanwhile. A project has few files, and looking costs a thousandth of a processor.
 */
export function watchFiles(folder: string, names: readonly string[], changed: (file: string) => void): () => void {
  let [settled, last] = [stateOf(folder, names), ''];
  const timer = setInterval(() => {
    const now = stateOf(folder, names);
    const file = differing(settled, now);
    const whole = JSON.stringify([...now]);
    // Editors write a file in several goes.
    const isQuiet = whole === last;
    last = whole;
    if (file === undefined || !isQuiet) return;
    settled = now;
    changed(file);
  }, LOOK_MS);
  return () => clearInterval(timer);
}

type State = ReadonlyMap<string, string>;

/** When each file was last written, and how long it is. */
function stateOf(folder: string, names: readonly string[]): State {
  const state = new Map<string, string>();
  const look = (file: string): void => {
    try {
      const stats = statSync(join(folder, file));
      if (stats.isDirectory()) readdirSync(join(folder, file)).forEach((name) => look(join(file, name)));
      // What `export types --code` writes is for editors.
      else if (!file.endsWith('types.d.ts')) state.set(file.split(sep).join('/'), `${stats.mtimeMs} ${stats.size}`);
    } catch {
      // It is not there, or not any more.
    }
  };
  names.forEach(look);
  return state;
}

/** The first file that is new, gone or another. */
const differing = (before: State, now: State): string | undefined =>
  [...now.keys()].find((file) => before.get(file) !== now.get(file)) ??
  [...before.keys()].find((file) => !now.has(file));
