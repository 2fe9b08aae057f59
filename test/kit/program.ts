import { spawn } from 'node:child_process';
import type { ChildProcess } from 'node:child_process';
import { cpSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll } from '@jest/globals';
import { forgetJudge, judgeAt } from './judged.ts';

const PROGRAM = fileURLToPath(new URL('../../dist/cli/main.js', import.meta.url));
const DEMO = fileURLToPath(new URL('../../demo', import.meta.url));
const FEW_SAMPLES = fileURLToPath(new URL('../fixtures/few-samples', import.meta.url));

/** Longer than anything takes that a test waits for. */
const LONGEST_SILENCE_MS = 120_000;

export interface Ran {
  readonly code: number | null;
  readonly out: string;
  readonly err: string;
}

const folders: string[] = [];
const servers: RunningProgram[] = [];

afterAll(async () => {
  await Promise.all(servers.map((server) => server.stop()));
  for (const folder of folders) rmSync(folder, { recursive: true, force: true });
});

/** A temporary folder with these files; it goes when the test file is through. */
export function folderWith(files: Readonly<Record<string, string>> = {}): string {
  const folder = mkdtempSync(join(tmpdir(), 'vantfell-test-'));
  folders.push(folder);
  for (const [name, text] of Object.entries(files)) {
    mkdirSync(dirname(join(folder, name)), { recursive: true });
    writeFileSync(join(folder, name), text);
  }
  return folder;
}

/**
 * A copy of the demo project, in a temporary folder, with fewer samples: what a test looks at in them is the same.
 * `store` is what it declares instead of its own.
 */
export function demoFolder(store?: string): string {
  const folder = folderWith();
  cpSync(DEMO, folder, { recursive: true, filter: (path) => !path.startsWith(join(DEMO, 'samples')) });
  cpSync(FEW_SAMPLES, join(folder, 'samples'), { recursive: true });
  if (store !== undefined) {
    const file = join(folder, 'vantfell.yaml');
    writeFileSync(file, readFileSync(file, 'utf8').replace(/^store:.*$/m, `store: ${store}`));
  }
  return folder;
}

/** Runs the built program to its end. */
export function vantfell(
  words: readonly string[],
  options: { cwd?: string; env?: NodeJS.ProcessEnv } = {},
): Promise<Ran> {
  return new Promise((resolve, reject) => {
    const child = startProgram(words, options);
    let [out, err] = ['', ''];
    child.stdout!.on('data', (chunk: Buffer) => (out += chunk.toString()));
    child.stderr!.on('data', (chunk: Buffer) => (err += chunk.toString()));
    child.on('error', reject);
    child.on('close', (code) => resolve({ code, out, err }));
  });
}

function startProgram(words: readonly string[], { cwd, env }: { cwd?: string; env?: NodeJS.ProcessEnv }): ChildProcess {
  return spawn(process.execPath, [PROGRAM, ...words], {
    cwd: cwd ?? tmpdir(),
    env: { ...process.env, NO_COLOR: '1', ...env },
    stdio: ['ignore', 'pipe', 'pipe'],
  });
}

export interface RunningProgram {
  readonly url: string;
  readonly pid: number;
  /** What the program has said so far. */
  said(): string;
  /** Resolves when it has said more. */
  more(): Promise<void>;
  /** Resolves, to all that it has said, once a text is among it. */
  until(text: string): Promise<string>;
  /** Sends a signal, and gives the exit code. */
  stop(signal?: NodeJS.Signals): Promise<number | null>;
}

/** Runs `serve` on a port, any that is free where it is left out, until the test stops it. */
export async function serving(folder: string, words: readonly string[] = [], port = 0): Promise<RunningProgram> {
  const child = startProgram(['serve', '-C', folder, '--port', String(port), '--json', ...words], {});
  const ended = new Promise<number | null>((resolve) => child.on('close', resolve));
  let [out, err] = ['', ''];
  child.stderr!.on('data', (chunk: Buffer) => (err += chunk.toString()));
  const url = await new Promise<string>((resolve, reject) => {
    child.stdout!.on('data', (chunk: Buffer) => {
      out += chunk.toString();
      // The greeting is the first thing said; what comes after it, as why it ended, is for others to read.
      const greeting = /^\{.*?^\}$/ms.exec(out)?.[0];
      if (greeting !== undefined) resolve((JSON.parse(greeting) as { url: string }).url);
    });
    void ended.then((code) => reject(new Error(`serve ended with ${code}: ${err}`)));
  });
  const server: RunningProgram = {
    url,
    pid: child.pid!,
    said: () => err,
    more: () =>
      new Promise((resolve, reject) => {
        const silent = setTimeout(() => reject(new Error(`serve says no more than: ${err}`)), LONGEST_SILENCE_MS);
        child.stderr!.once('data', () => (clearTimeout(silent), resolve()));
        void ended.then(() => (clearTimeout(silent), reject(new Error(`serve ended, having said: ${err}`))));
      }),
    async until(text) {
      while (!err.includes(text)) await server.more();
      return err;
    },
    stop(signal = 'SIGTERM') {
      forgetJudge(url);
      if (child.exitCode === null) child.kill(signal);
      return ended;
    },
  };
  servers.push(server);
  return server;
}

export interface Answered {
  readonly status: number;
  readonly headers: Headers;
  // Tests look into bodies of every form.
  // eslint-disable-next-line @typescript-eslint/no-explicit-any
  readonly body: any;
}

/** A token for somebody who can sign in, as `vantfell token` gives it. */
export async function tokenFor(folder: string, who: string): Promise<string> {
  const { code, out, err } = await vantfell(['token', who, '-C', folder, '--quiet']);
  if (code !== 0) throw new Error(err);
  return out.trim();
}

export type Ask = (url: string, method?: string, body?: unknown, headers?: Record<string, string>) => Promise<Answered>;

/** Requests that somebody signs, with the token that `vantfell token` gives. */
export async function asking(folder: string, who: string): Promise<Ask> {
  const authorization = `Bearer ${await tokenFor(folder, who)}`;
  return (url, method, body, headers = {}) => ask(url, method, body, { authorization, ...headers });
}

/** One request; a body that is no text goes as JSON. */
export async function ask(
  url: string,
  method = 'GET',
  body?: unknown,
  headers: Record<string, string> = {},
): Promise<Answered> {
  const type = method === 'PATCH' ? 'application/merge-patch+json' : 'application/json';
  const init: RequestInit = { method, headers };
  if (body !== undefined) {
    init.headers = { 'content-type': type, ...headers };
    init.body = typeof body === 'string' ? body : JSON.stringify(body);
  }
  const response = await fetch(url, init);
  const text = await response.text();
  const isJson = response.headers.get('content-type')?.includes('json') === true;
  const answer = {
    status: response.status,
    headers: response.headers,
    body: isJson && text !== '' ? JSON.parse(text) : text,
  };
  await judgeAt(url, method, answer);
  return answer;
}
