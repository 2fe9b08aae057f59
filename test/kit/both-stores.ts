import { expect } from '@jest/globals';
import type { Reply } from '../../src/core/api/message.ts';
import { openApi } from '../../src/core/document/openapi.ts';
import type { Graph } from '../../src/core/model/graph.ts';
import type { Store } from '../../src/core/store/contract.ts';
import { makeDocumentJudge } from '../../src/core/trial/document-judge.ts';
import { judgeAnswer } from './judged.ts';
import { openTestService } from './open-test-service.ts';
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
  const server = await startPostgres();
  let asked = 0;
  const around = (store: Store): Store => ({ ...store, first: (...given) => ((asked += 1), store.first(...given)) });
  const common = { everybody: true, repeatable: true, around };
  const both = [
    await openTestService(projectFolder, common),
    await openTestService(projectFolder, { ...common, database: await newDatabase(server, name) }),
  ];
  const { graph } = both[0]!;
  const stores = both.map(({ store }) => store);

  const judge = makeDocumentJudge(openApi(graph));
  const reply: BothStores['reply'] = async (target, headers = {}) => {
    const replies = await Promise.all(both.map(({ service }) => service.handle({ method: 'GET', target, headers })));
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
      await Promise.all(both.map((one) => one.close()));
      await server.stop();
    },
  };
}
