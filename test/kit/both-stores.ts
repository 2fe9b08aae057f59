import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from '@jest/globals';
import type { Reply } from '../../src/core/api/message.ts';
import { noCode } from '../../src/core/change/code.ts';
import { openApi } from '../../src/core/document/openapi.ts';
import type { Graph } from '../../src/core/model/graph.ts';
import { loadSamples } from '../../src/core/samples/load.ts';
import { readSamples } from '../../src/core/samples/read.ts';
import type { Service } from '../../src/core/service.ts';
import type { Store } from '../../src/core/store/contract.ts';
import { makeDocumentJudge } from '../../src/core/trial/document-judge.ts';
import { openDatabase } from '../../src/project/database.ts';
import { readProject, runtime } from '../../src/project/project.ts';
import type { SoundProject } from '../../src/project/project.ts';
import { readSampleFiles } from '../../src/project/samples.ts';
import { serviceOn, writesOn } from '../../src/project/serve.ts';
import { judgeAnswer } from './judged.ts';
import { newDatabase, startPostgres } from './postgres.mjs';

export interface Body {
  data: Record<string, unknown>[];
  page: { total?: number; next: string | null; prev: string | null };
}

/**
 * A project's service on both kinds of database, with the same samples under the same keys; everybody may do
 * everything.
 */
export interface BothStores {
  readonly graph: Graph;
  readonly stores: readonly Store[];
  /** The one answer of both databases, to the last byte but for the number of the request. */
  reply(target: string, headers?: Record<string, string>): Promise<Reply>;
  ask(path: string, parameters?: Record<string, string>): Promise<{ status: number; body: Body }>;
  /** Runs a statement, in which `?` stands for each value, on both. */
  run(sql: string, values: readonly (string | number | null)[]): Promise<void>;
  /** How many statements answers have taken so far, on both together. */
  asked(): number;
  close(): Promise<void>;
}

/** `name` is that of the PostgreSQL database. */
export async function bothStores(projectFolder: string, name: string): Promise<BothStores> {
  const folder = mkdtempSync(join(tmpdir(), 'vantfell-both-'));
  const server = await startPostgres();
  const project = readProject(projectFolder) as SoundProject;
  const { graph } = project;
  const [stores, services]: [Store[], Service[]] = [[], []];
  let asked = 0;
  for (const address of [`sqlite:${join(folder, 'both.db')}`, await newDatabase(server, name)]) {
    const { store } = await openDatabase(project, address);
    let made = 0;
    const uuid = (): string => `00000000-0000-7000-8000-${String((made += 1)).padStart(12, '0')}`;
    const same = { ...runtime, uuid, now: () => new Date(Date.UTC(2026, 5, 1, 10, 0, 0, made)) };
    const { rows } = readSamples(graph, readSampleFiles(project.folder, graph).sources);
    await loadSamples(graph, store, rows, writesOn(graph, store, noCode, same));
    stores.push(store);
    const counted: Store = { ...store, first: (...given) => ((asked += 1), store.first(...given)) };
    services.push(serviceOn(graph, counted, ['k'.repeat(32)], (error) => console.error(error), { everybody: true }));
  }

  const judge = makeDocumentJudge(openApi(graph));
  const reply: BothStores['reply'] = async (target, headers = {}) => {
    const replies = await Promise.all(services.map((service) => service.handle({ method: 'GET', target, headers })));
    const [one, other] = replies.map(({ status, headers: given, body }) => ({
      status,
      headers: given,
      body: String(body).replace(/"request":"[^"]+"/, ''),
    }));
    expect(other).toEqual(one);
    const { status, headers: given, body } = replies[0]!;
    judgeAnswer(judge, 'GET', target, { status, headers: given, body: body === undefined ? '' : JSON.parse(body) });
    return replies[0]!;
  };
  return {
    graph,
    stores,
    reply,
    async ask(path, parameters = {}) {
      const query = new URLSearchParams(parameters).toString();
      const target = query === '' ? path : `${path}${path.includes('?') ? '&' : '?'}${query}`;
      const { status, body } = await reply(target);
      return { status, body: JSON.parse(String(body)) as Body };
    },
    async run(sql, values) {
      for (const store of stores) {
        let placed = 0;
        const text = sql.replaceAll('?', () => store.dialect.placeholder((placed += 1)));
        await store.transaction((transaction) => transaction.run({ sql: text }, values));
      }
    },
    asked: () => asked,
    async close() {
      await Promise.all(stores.map((store) => store.close()));
      await server.stop();
      rmSync(folder, { recursive: true });
    },
  };
}
