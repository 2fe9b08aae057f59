import { randomBytes } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { EXIT, Failure } from './failure.ts';

/** The tool's own folder in a project; it keeps itself out of version control. */
export const OWN_FOLDER = '.vantfell';

export function ownFolder(folder: string): string {
  const own = join(folder, OWN_FOLDER);
  if (existsSync(own) && !statSync(own).isDirectory()) {
    const message = `${OWN_FOLDER} is a file, where the tool has a folder of its own`;
    throw new Failure(EXIT.options, message, 'move it elsewhere, or delete it');
  }
  try {
    mkdirSync(own, { recursive: true });
    const ignore = join(own, '.gitignore');
    if (!existsSync(ignore)) writeFileSync(ignore, '*\n');
  } catch (error) {
    const message = `${OWN_FOLDER} can not be written to: ${(error as Error).message}`;
    throw new Failure(EXIT.options, message, "see to the rights of the project's folder");
  }
  return own;
}

/**
 * The key that signs what clients hold: made once for a project that declares none, and readable by its owner alone.
 */
export function keptKey(folder: string): { key: string; made: boolean } {
  const file = join(ownFolder(folder), 'key');
  if (existsSync(file)) return { key: soundKey(file), made: false };
  const key = randomBytes(32).toString('base64url');
  writeFileSync(file, `${key}\n`, { mode: 0o600 });
  return { key, made: true };
}

/** A key that is short is guessed: then anybody signs what clients hold. */
const SHORTEST_KEY = 32;

function soundKey(file: string): string {
  const key = readFileSync(file, 'utf8').trim();
  if (Buffer.byteLength(key) >= SHORTEST_KEY) return key;
  const message =
    `${OWN_FOLDER}/key has ` +
    `${key === '' ? 'nothing in it' : `${Buffer.byteLength(key)} bytes`}, and ` +
    `a key has ${SHORTEST_KEY} or more`;
  throw new Failure(EXIT.options, message, 'delete it, and another is made; what was signed with it is void then');
}
