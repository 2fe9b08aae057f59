import { watch } from 'node:fs';

/** Editors write a file in several goes. */
const QUIET_MS = 200;

/**
 * Calls back with the name of a file of a project's folder that has changed and was left alone for a moment. `matches`
 * chooses among the names. What it returns ends it.
 */
export function watchFiles(folder: string, matches: RegExp, changed: (file: string) => void): () => void {
  let timer: NodeJS.Timeout | undefined;
  const watcher = watch(folder, { recursive: true }, (_event, file) => {
    // What `export types --code` writes is for editors.
    if (file === null || !matches.test(file) || file.endsWith('types.d.ts')) return;
    clearTimeout(timer);
    timer = setTimeout(() => changed(file), QUIET_MS);
  });
  return () => {
    clearTimeout(timer);
    watcher.close();
  };
}
