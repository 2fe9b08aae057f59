import { isAbsolute, relative, resolve, sep } from 'node:path';
import { watch } from 'chokidar';

/** Editors write a file in several goes. */
const QUIET_MS = 200;

/**
 * Calls back with the name of a file that has changed and was left alone for a moment: one of a project's files and
 * folders with these names, whether they are there yet or not. Resolves when it has begun, with what ends it.
 */
export async function watchFiles(
  folder: string,
  names: readonly string[],
  changed: (file: string) => void,
): Promise<() => Promise<void>> {
  let timer: NodeJS.Timeout | undefined;
  const watcher = watch([...names], { cwd: folder, ignoreInitial: true });
  watcher.on('all', (_event, path) => {
    const file = (isAbsolute(path) ? relative(resolve(folder), path) : path).split(sep).join('/');
    // What `export types --code` writes is for editors.
    if (file.endsWith('types.d.ts')) return;
    clearTimeout(timer);
    timer = setTimeout(() => changed(file), QUIET_MS);
  });
  await new Promise<void>((ready) => watcher.on('ready', () => ready()));
  return () => {
    clearTimeout(timer);
    return watcher.close();
  };
}
