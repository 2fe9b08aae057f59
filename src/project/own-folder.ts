import { randomBytes } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

/** The tool's own folder in a project; it keeps itself out of version control. */
export const OWN_FOLDER = '.vantfell';

export function ownFolder(folder: string): string {
  const own = join(folder, OWN_FOLDER);
  mkdirSync(own, { recursive: true });
  const ignore = join(own, '.gitignore');
  if (!existsSync(ignore)) writeFileSync(ignore, '*\n');
  return own;
}

/** The key that signs what clients hold: made once for a project that declares none, and readable by its owner alone. */
export function keptKey(folder: string): { key: string; made: boolean } {
  const file = join(ownFolder(folder), 'key');
  if (existsSync(file)) return { key: readFileSync(file, 'utf8').trim(), made: false };
  const key = randomBytes(32).toString('base64url');
  writeFileSync(file, `${key}\n`, { mode: 0o600 });
  return { key, made: true };
}
