import { expect } from '@jest/globals';
import type { Reply } from '../../src/core/api/message.ts';
import { openApi } from '../../src/core/document/openapi.ts';
import type { Graph } from '../../src/core/model/graph.ts';
import type { Service } from '../../src/core/service.ts';
import type { Store } from '../../src/core/store/contract.ts';
import { makeDocumentJudge } from '../../src/core/trial/document-judge.ts';
import { judgeAnswer } from './judged.ts';
import { kinds, openServers } from './databases.ts';
import { openTestService } from './open-test-service.ts';
import type { TestService } from './open-test-service.ts';

export interface Body {
  data: Record<string, unknown>[];
  page: { total?: number; next: string | null; prev: string | null };
}

/**
 * A project's service on every kind of database, with the same samples under the same keys; everybody may do
 * everything.
 */
export interface EveryStore {
  readonly graph: Graph;
  readonly stores: readonly Store[];
  /** Those over the stores, in the same order. */
  readonly services: readonly Service[];
  /** The one answer of all databases, to the last byte but for the number of the request. */
  reply(target: string, headers?: Record<string, string>): Promise<Reply>;
  ask(path: string, parameters?: Record<string, string>): Promise<{ status: number; body: Body }>;
  /** Runs a statement, in which `?` stands for each value, on all. */
  run(sql: string, values: readonly (string | number | null)[]): Promise<void>;
  /** How many statements answers have taken so far, on all together. */
  asked(): number;
  close(): Promise<void>;
}

/** `name` is that of the databases on servers. */
export async function everyStore(projectFolder: string, name: string): Promise<EveryStore> {
  const servers = openServers();
  let asked = 0;
  const around = (store: Store): Store => ({ ...store, first: (...given) => ((asked += 1), store.first(...given)) });
  const common = { everybody: true, repeatable: true, around };
  const all: TestService[] = [];
  for (const kind of kinds) {
    const database = kind === 'sqlite' ? undefined : await servers.database(kind, name);
    all.push(await openTestService(projectFolder, { ...common, database }));
  }
  const { graph } = all[0]!;
  const stores = all.map(({ store }) => store);
  const services = all.map(({ service }) => service);

  const judge = makeDocumentJudge(openApi(graph));
  const reply: EveryStore['reply'] = async (target, headers = {}) => {
    const replies = await Promise.all(services.map(({ handle }) => handle({ method: 'GET', target, headers })));
    const [one, ...others] = replies.map(({ status, headers: given, body }) => ({
      status,
      // The first part of an ETag states of the record as it is stored.
      headers: { ...given, etag: given.etag?.replace(/^"[^"-]+-/, '"') },
      body: String(body).replace(/"request":"[^"]+"/, ''),
    }));
    for (const other of others) expect(other).toEqual(one);
    const { status, headers: given, body } = replies[0]!;
    judgeAnswer(judge, 'GET', target, { status, headers: given, body: body === undefined ? '' : JSON.parse(body) });
    return replies[0]!;
  };
  return {
    graph,
    stores,
    services,
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
      await Promise.all(all.map((one) => one.close()));
      await servers.stop();
    },
  };
}
