import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { journalTable, requestsTable } from '../../src/core/tables/own-tables.ts';
import type { Service } from '../../src/core/service.ts';
import type { Store } from '../../src/core/store/contract.ts';
import { designTables } from '../../src/core/tables/design.ts';
import { soundCode } from '../../src/project/code.ts';
import { openApi } from '../../src/core/document/openapi.ts';
import { makeDocumentJudge } from '../../src/core/trial/document-judge.ts';
import { judgeAnswer } from './judged.ts';
import { openDatabase } from '../../src/project/database.ts';
import { readProject } from '../../src/project/project.ts';
import type { SoundProject } from '../../src/project/project.ts';
import { serviceOn, storeOptions } from '../../src/project/serve.ts';

export interface Told {
  readonly status: number;
  readonly headers: Readonly<Record<string, string>>;
  // Tests look into bodies of every form.
  // eslint-disable-next-line @typescript-eslint/no-explicit-any
  readonly body: any;
}

/** A project's service on one store, asked without sockets, and its database to look into. */
export interface Written {
  readonly service: Service;
  readonly store: Store;
  /** What the service reported as defects. */
  readonly defects: string[];
  ask(method: string, target: string, body?: unknown, headers?: Record<string, string>): Promise<Told>;
  /** All that the database holds, a text for each table. */
  everything(): Promise<Record<string, string>>;
  close(): Promise<void>;
}

/** Opens a project on a database; left out: an SQLite file of its own. */
export async function written(projectFolder: string, database?: string): Promise<Written> {
  const folder = mkdtempSync(join(tmpdir(), 'vantfell-written-'));
  const project = readProject(projectFolder) as SoundProject;
  const { graph } = project;
  const code = await soundCode(project);
  const address = database ?? `sqlite:${join(folder, 'written.db')}`;
  const options = { ...storeOptions(graph), slowReads: 0 };
  const { store } = await openDatabase(project, address, undefined, options);
  const defects: string[] = [];
  const report = (error: unknown): number => defects.push(String(error));
  const service = serviceOn(graph, store, graph.service.keys, report, { code });
  const judge = makeDocumentJudge(openApi(graph));
  const tables = [...designTables(graph), journalTable, requestsTable].map(({ name }) => name);

  return {
    service,
    store,
    defects,
    async ask(method, target, body, headers = {}) {
      const type = method === 'PATCH' ? 'application/merge-patch+json' : 'application/json';
      const sent = body === undefined ? {} : { 'content-type': type };
      const bytes = body === undefined ? undefined : new TextEncoder().encode(JSON.stringify(body));
      const reply = await service.handle({ method, target, headers: { ...sent, ...headers }, body: bytes });
      const answer = { ...reply, body: reply.body === undefined ? undefined : JSON.parse(reply.body) };
      judgeAnswer(judge, method, target, answer);
      return answer;
    },
    async everything() {
      const texts: Record<string, string> = {};
      for (const table of tables) {
        const rows = await store.all({ sql: `SELECT * FROM ${table}` }, []);
        texts[table] = rows
          .map((row) => JSON.stringify(row))
          .sort()
          .join('\n');
      }
      return texts;
    },
    async close() {
      await service.writes.settled();
      await store.close();
      rmSync(folder, { recursive: true });
    },
  };
}
