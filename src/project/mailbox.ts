import { randomUUID } from 'node:crypto';
import { mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Send } from '../core/identity/messenger.ts';
import { OWN_FOLDER, ownFolder } from './own-folder.ts';

/** Where messages go that no code of the project sends: files that mail programs open (RFC 5322). */
export const MAILBOX = `${OWN_FOLDER}/mail`;

/** The most messages that are kept. */
const MOST_KEPT = 200;

const SUBJECTS = { verify: 'Prove your address', reset: 'Set a new secret' } as const;

/** Writes messages into the mailbox of a project; the oldest make room for new ones. */
export function mailboxOf(folder: string, service: string): Send {
  return (kind, to, { code, link, expires }) => {
    const box = join(ownFolder(folder), 'mail');
    mkdirSync(box, { recursive: true, mode: 0o700 });
    const now = new Date();
    const id = randomUUID();
    const lines = [
      `Date: ${now.toUTCString().replace('GMT', '+0000')}`,
      `From: ${JSON.stringify(service.replaceAll(/[\r\n"\\]/g, ' '))} <noreply@localhost>`,
      `To: <${to.replaceAll(/[\r\n<>]/g, '')}>`,
      `Message-ID: <${id}@localhost>`,
      `Subject: ${SUBJECTS[kind]}`,
      'MIME-Version: 1.0',
      'Content-Type: text/plain; charset=utf-8',
      'Content-Transfer-Encoding: 8bit',
      '',
      ...(link === undefined ? [] : [link, '']),
      `code: ${code}`,
      `good until: ${expires.toISOString()}`,
      '',
    ];
    const name = `${now.toISOString().replaceAll(/[:.]/g, '-')}-${kind}-${id.slice(0, 8)}.eml`;
    writeFileSync(join(box, name), lines.join('\r\n'), { mode: 0o600 });
    for (const old of namesIn(box).slice(0, -MOST_KEPT)) rmSync(join(box, old), { force: true });
  };
}

/** The messages of a mailbox by the names of their files, which sort by time. */
const namesIn = (box: string): string[] =>
  readdirSync(box)
    .filter((name) => name.endsWith('.eml'))
    .sort();

/** The code of the newest message to an address; undefined where there is none. */
export function newestCode(folder: string, to: string): string | undefined {
  const box = join(folder, OWN_FOLDER, 'mail');
  let names: string[];
  try {
    names = namesIn(box);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ENOENT') return undefined;
    throw error;
  }
  for (const name of names.reverse()) {
    const text = readFileSync(join(box, name), 'utf8');
    const receiver = /^To: <(.*)>\r?$/m.exec(text)?.[1];
    if (receiver?.toLowerCase() === to.toLowerCase()) return /^code: (\S+)\r?$/m.exec(text)?.[1];
  }
  return undefined;
}
