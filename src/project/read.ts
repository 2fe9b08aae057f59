import { existsSync, readdirSync, readFileSync, statSync } from 'node:fs';
import { join, relative, sep } from 'node:path';
import type { ProjectSources } from '../core/compile.ts';
import type { Source } from '../core/declaration/declared.ts';
import { readEnvFile } from './env-file.ts';
import { EXIT, Failure } from './failure.ts';
import { shownPath } from './shown-path.ts';
import { textOf } from './text.ts';

export const SERVICE_FILE = 'vantfell.yaml';
const DECLARATION = /\.(yaml|yml|json)$/;
const SAMPLE = /\.(yaml|yml|json|ndjson|csv)$/;

/** Reads the texts of a project's declarations. Runs none of its code. */
export function readSources(folder: string, withCode: boolean): ProjectSources {
  if (!existsSync(folder) || !statSync(folder).isDirectory()) {
    throw new Failure(
      EXIT.options,
      `there is no folder ${shownPath(folder)}`,
      'name the folder of your project with -C',
    );
  }
  if (!existsSync(join(folder, SERVICE_FILE))) {
    const remedy =
      "go to the project's folder, or name it with -C; vantfell new makes one, vantfell demo one to look at";
    const shown = shownPath(folder) === '.' ? 'this folder' : shownPath(folder);
    throw new Failure(EXIT.options, `${shown} is no project: it has no ${SERVICE_FILE}`, remedy);
  }
  readEnvFile(folder);
  return {
    service: readSource(folder, SERVICE_FILE),
    models: filesIn(folder, 'models', DECLARATION).map((file) => readSource(folder, file)),
    code: withCode ? codeFiles(folder).map((file) => readSource(folder, file)) : undefined,
    environment: process.env,
  };
}

/** The files of `samples/`, in the order of their names. */
export const sampleFiles = (folder: string): string[] => filesIn(folder, 'samples', SAMPLE);

/** The scenarios of `trials/`, in the order of the names of their files. */
export const readTrialFiles = (folder: string): Source[] =>
  filesIn(folder, 'trials', DECLARATION).map((file) => readSource(folder, file));

export function readSource(folder: string, file: string): Source {
  const shown = file.split(sep).join('/');
  return { file: shown, text: textOf(shown, readFileSync(join(folder, file))) };
}

function filesIn(folder: string, name: string, wanted: RegExp): string[] {
  const inside = join(folder, name);
  if (!existsSync(inside)) return [];
  const files = readdirSync(inside, { recursive: true, withFileTypes: true })
    .filter((entry) => entry.isFile() && !entry.name.startsWith('.'))
    .map((entry) => relative(folder, join(entry.parentPath, entry.name)))
    .sort();
  const strange = files.find((file) => !wanted.test(file));
  if (strange !== undefined) {
    const kinds = wanted.source
      .replace(/[^a-z|]/g, '')
      .split('|')
      .join(', ');
    throw new Failure(
      EXIT.foundWrong,
      `${strange} is not read: ${name}/ takes ${kinds}`,
      'move it elsewhere, or rename it',
    );
  }
  return files;
}

/**
 * The files of `code/` that hooks and operations are in: what they share stands in folders, and type files are for
 * editors.
 */
function codeFiles(folder: string): string[] {
  const inside = join(folder, 'code');
  if (!existsSync(inside)) return [];
  return readdirSync(inside, { withFileTypes: true })
    .filter((entry) => entry.isFile() && !entry.name.startsWith('.') && !entry.name.endsWith('.d.ts'))
    .map((entry) => join('code', entry.name))
    .sort();
}
