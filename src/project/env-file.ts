import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { parseEnv } from 'node:util';
import { EXIT, Failure } from './failure.ts';
import { textOf } from './text.ts';

/** Variables for one machine, beside the declarations: Node.js's own form, `NAME=value` in each line. */
export const ENV_FILE = '.env';

/** What this process has set from the file of each folder, so that reading it again can take that back. */
const setFrom = new Map<string, Map<string, string>>();

/** The names of the variables that come from a project's file, and not from the environment. */
export const namesFromFile = (folder: string): string[] => [...(setFrom.get(folder)?.keys() ?? [])].sort();

/** Sets the variables of a project's file, for declarations, drivers and code alike; the environment wins. */
export function readEnvFile(folder: string): void {
  const before = setFrom.get(folder) ?? new Map<string, string>();
  for (const [name, value] of before) if (process.env[name] === value) Reflect.deleteProperty(process.env, name);
  const own = new Map<string, string>();
  setFrom.set(folder, own);
  const file = join(folder, ENV_FILE);
  if (!existsSync(file)) return;
  const text = textOf(ENV_FILE, readFileSync(file));
  refuseStrangeLines(text);
  for (const [name, value] of Object.entries(parseEnv(text))) {
    if (value === undefined || Object.hasOwn(process.env, name)) continue;
    process.env[name] = value;
    own.set(name, value);
  }
}

const VALUE_IN_QUOTES = /=[ \t]*(["'`])[^]*?\1/g;
const LINE = /^\s*(?:#.*|(?:export\s+)?[A-Za-z_][\w.-]*\s*=.*)?$/;

/** Node.js passes over what it can't read: a variable would be missing without notice. Values are never repeated. */
function refuseStrangeLines(text: string): void {
  // A value in quotes may have several lines: only their breaks are left, so that lines are counted right.
  const plain = text.replace(VALUE_IN_QUOTES, (all) => `=${all.replace(/[^\n]/g, '')}`);
  const at = plain.split(/\r?\n/).findIndex((line) => !LINE.test(line));
  if (at < 0) return;
  throw new Failure(
    EXIT.foundWrong,
    `${ENV_FILE}:${at + 1} is no variable`,
    'write NAME=value, one in a line; # begins a comment',
  );
}
