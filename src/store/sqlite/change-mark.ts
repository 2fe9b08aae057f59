import { closeSync, openSync, readSync, statSync } from 'node:fs';
import { prepare } from './connect.ts';
import type { Connection } from './connect.ts';

/** Tells whether anybody has changed the database, whichever program. */
export interface ChangeMark {
  /** A number that is another one once a commit can be seen that could not be seen before. */
  now(): number;
  /** To be called when every connection of the store is closed. */
  close(): void;
}

/*
 * With a write-ahead log, every commit changes the header of its index, which all programs share as the file `-shm`
 * (https://www.sqlite.org/walformat.html): a counter, the end of the log, its salts and a checksum. To look at it takes
 * a fifth of the time of `PRAGMA data_version`, which does the same where there is no such file.
 */
const HEADER_BYTES = 48;
const VERSION = 3_007_000;

/** Files that are open, by what the system calls them, with how many stores use each. */
const open = new Map<string, { readonly fd: number; users: number }>();

/** For a connection that never writes: the pragma tells nothing of its own changes. */
export function changeMarkOf(file: string, reading: Connection): ChangeMark {
  const index = openIndex(`${file}-shm`);
  if (index === undefined) return pragmaMark(reading);
  let [last, header] = [Buffer.alloc(HEADER_BYTES), Buffer.alloc(HEADER_BYTES)];
  let mark = 0;
  return {
    now() {
      readSync(index.fd, header, 0, HEADER_BYTES, 0);
      if (!header.equals(last)) {
        mark += 1;
        [last, header] = [header, last];
      }
      return mark;
    },
    close: index.close,
  };
}

function pragmaMark(reading: Connection): ChangeMark {
  const { statement } = prepare(reading, 'PRAGMA data_version');
  return { now: () => Number((statement.get([]) as [number])[0]), close: () => undefined };
}

/**
 * The system lets go of all locks that a program has on a file as soon as it closes it once, SQLite's own included: it
 * is open once for all stores, and closed when none is left.
 */
function openIndex(path: string): { readonly fd: number; close(): void } | undefined {
  // Elsewhere a file and what is mapped of it may differ for a while.
  if (process.platform !== 'linux') return undefined;
  const found = statSync(path, { throwIfNoEntry: false });
  if (found === undefined) return undefined;
  const name = `${found.dev} ${found.ino}`;
  const used = open.get(name) ?? { fd: openSync(path, 'r'), users: 0 };
  open.set(name, used);
  used.users += 1;
  const close = (): void => {
    used.users -= 1;
    if (used.users > 0) return;
    open.delete(name);
    closeSync(used.fd);
  };
  const header = Buffer.alloc(HEADER_BYTES);
  if (readSync(used.fd, header, 0, HEADER_BYTES, 0) === HEADER_BYTES && isKnown(header)) return { fd: used.fd, close };
  close();
  return undefined;
}

/** In the byte order of the machine. */
const isKnown = (header: Buffer): boolean => header.readUInt32LE(0) === VERSION || header.readUInt32BE(0) === VERSION;
