import {
  closeSync,
  existsSync,
  fsyncSync,
  linkSync,
  openSync,
  renameSync,
  rmSync,
  statSync,
  unlinkSync,
} from 'node:fs';
import Database from 'libsql';
import { StoreError } from '../../core/store/contract.ts';
import { BUSY_MS } from './connect.ts';

/**
 * Copies the database in a file as it is at one moment, while others go on reading and writing: whole, in its own new
 * file, or not at all. Throws `StoreError` where there is none, and where it is broken.
 */
export function copyDatabase(file: string, to: string): void {
  if (!existsSync(file)) {
    throw new StoreError({ kind: 'unreachable' }, `there is no database at ${file} yet`, 'vantfell serve makes it');
  }
  // What a killed copy has left behind is of no use.
  const part = `${to}.part`;
  rmSync(part, { force: true });
  try {
    // Nobody may read it who may not read the database.
    closeSync(openSync(part, 'wx', statSync(file).mode));
    copy(file, part);
    check(part);
    const written = openSync(part, 'r+');
    fsyncSync(written);
    closeSync(written);
    place(part, to);
  } finally {
    if (existsSync(part)) unlinkSync(part);
  }
}

/**
 * Unlike a renaming, a link never takes the place of a file that somebody else has made meanwhile; some systems have
 * none.
 */
function place(part: string, to: string): void {
  try {
    linkSync(part, to);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'EEXIST') throw error;
    renameSync(part, to);
  }
}

function copy(file: string, part: string): void {
  const connection = new Database(file);
  try {
    connection.exec(`PRAGMA busy_timeout = ${BUSY_MS}`);
    connection.prepare('VACUUM INTO ?').run(part);
  } finally {
    connection.close();
  }
}

function check(part: string): void {
  const connection = new Database(part);
  try {
    const [row] = connection.prepare('PRAGMA integrity_check(1)').raw(true).all() as string[][];
    if (row?.[0] === 'ok') return;
    throw new StoreError({ kind: 'defect' }, `the database is broken: ${row?.[0]}`, 'take an older backup');
  } finally {
    connection.close();
  }
}
