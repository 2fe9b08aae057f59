// Databases that were there before their models: made, adopted, and asked.
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect } from '@jest/globals';
import type { OpenService } from '../../src/project/open-service.ts';
import { openStore } from '../../src/store/open.ts';
import { folderWith, vantfell } from './program.ts';

const BUILT = ['..', '..', 'dist', 'api', 'index.js'].join('/');
// As it is built: slow reads of a file are the work of other processes.
export const { openService } = (await import(BUILT)) as {
  openService(folder: string): Promise<OpenService>;
};
/** Runs statements on a database as it is. */
export async function make(address: string, sql: string): Promise<void> {
  if (address.startsWith('sqlite:')) writeFileSync(address.slice('sqlite:'.length), '', { flag: 'a' });
  const store = await openStore(address, { asItIs: true });
  try {
    await store.alter((alteration) => alteration.script(sql));
  } finally {
    await store.close();
  }
}

/** Adopts a database into a new folder. */
export async function adopted(address: string, ...words: string[]): Promise<{ folder: string; said: Said }> {
  const folder = join(folderWith(), 'project');
  const ran = await vantfell(['adopt', address, folder, '--json', ...words]);
  expect([ran.code, ran.err]).toEqual([0, '']);
  return { folder, said: JSON.parse(ran.out) as Said };
}

export interface Said {
  readonly models: readonly { model: string; table: string; endpoints: readonly string[] }[];
  readonly notes: readonly { at: string; what: string; text: string }[];
}

export interface Sent {
  readonly status: number;
  readonly body: {
    data: Record<string, unknown> & Record<string, unknown>[];
    errors: unknown;
    page: { total: number; next: string | null };
  };
}

export async function send(folder: string, method: string, path: string, body?: unknown): Promise<Sent> {
  const words = ['send', method, path, ...(body === undefined ? [] : [JSON.stringify(body)])];
  const { out } = await vantfell([...words, '--json', '-C', folder]);
  const { status, body: answer } = JSON.parse(out) as Sent;
  return { status, body: answer };
}

/** Asks a service that runs inside of this process. */
export const asking =
  (service: Pick<OpenService, 'fetch'>) =>
  async (method: string, path: string, body?: unknown): Promise<Sent> => {
    const headers = { 'content-type': 'application/json' };
    const text = body === undefined ? undefined : JSON.stringify(body);
    const answer = await service.fetch(new Request(`http://x.example${path}`, { method, headers, body: text }));
    const given = await answer.text();
    return { status: answer.status, body: (given === '' ? undefined : JSON.parse(given)) as Sent['body'] };
  };
