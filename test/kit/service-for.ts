import { cpSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { openApi } from '../../src/core/document/openapi.ts';
import type { OutsideTokens } from '../../src/core/identity/tokens.ts';
import type { Graph } from '../../src/core/model/graph.ts';
import type { Limits } from '../../src/core/model/service.ts';
import { loadSamples } from '../../src/core/samples/load.ts';
import { readSamples } from '../../src/core/samples/read.ts';
import { makeService } from '../../src/core/service.ts';
import type { Service } from '../../src/core/service.ts';
import type { Store } from '../../src/core/store/contract.ts';
import { makeDocumentJudge } from '../../src/core/trial/document-judge.ts';
import { soundCode } from '../../src/project/code.ts';
import { openDatabase } from '../../src/project/database.ts';
import { readProject, runtime } from '../../src/project/project.ts';
import type { SoundProject } from '../../src/project/project.ts';
import { readSampleFiles } from '../../src/project/samples.ts';
import { storeOptions, writesOn } from '../../src/project/serve.ts';
import { judgeAnswer } from './judged.ts';
import type { Told } from './written.ts';

export interface ServiceOptions {
  /** The address of an empty database; left out: an SQLite file. */
  readonly database?: string | undefined;
  readonly files?: Readonly<Record<string, string>>;
  readonly limits?: Partial<Limits>;
  readonly origins?: readonly string[];
  readonly outside?: OutsideTokens;
}

export interface Asks {
  ask(method: string, target: string, body?: unknown, headers?: Record<string, string>, client?: string): Promise<Told>;
}

/** A project's service with its samples, asked without sockets, by a clock that the test turns. */
export interface ServiceFor extends Asks {
  readonly graph: Graph;
  readonly store: Store;
  readonly service: Service;
  readonly keys: readonly string[];
  readonly defects: string[];
  now(): Date;
  /** Lets so many seconds go by. */
  later(seconds: number): void;
  /** Another service over the same database, with these keys and the same clock. */
  again(keys: readonly string[]): Asks;
  close(): Promise<void>;
}

export async function serviceFor(projectFolder: string, options: ServiceOptions): Promise<ServiceFor> {
  const folder = mkdtempSync(join(tmpdir(), 'vantfell-service-'));
  cpSync(projectFolder, folder, { recursive: true });
  for (const [name, text] of Object.entries(options.files ?? {})) {
    mkdirSync(dirname(join(folder, name)), { recursive: true });
    writeFileSync(join(folder, name), text);
  }
  const project = readProject(folder) as SoundProject;
  const { service: settings } = project.graph;
  const limits = { ...settings.limits, ...options.limits };
  const graph = { ...project.graph, service: { ...settings, limits, origins: options.origins ?? settings.origins } };
  const address = options.database ?? `sqlite:${join(folder, 'service.db')}`;
  const code = await soundCode(project);
  const { store } = await openDatabase(project, address, undefined, { ...storeOptions(graph), slowReads: 0 });
  await loadSamples(
    graph,
    store,
    readSamples(graph, readSampleFiles(folder, graph).sources).rows,
    writesOn(graph, store, code),
  );
  let ahead = 0;
  const defects: string[] = [];
  const now = (): Date => new Date(Date.now() + ahead);
  const keys = settings.keys;
  const judge = makeDocumentJudge(openApi(graph));
  const opened = ([key, ...olderKeys]: readonly string[]): Service =>
    makeService(graph, store, {
      ...runtime,
      now,
      code,
      key: key!,
      olderKeys,
      outside: options.outside,
      report: (error) => defects.push(String(error)),
    });
  const asking =
    (service: Service): Asks['ask'] =>
    async (method, target, body, headers = {}, client = '10.0.0.1') => {
      const type = method === 'PATCH' ? 'application/merge-patch+json' : 'application/json';
      const sent = body === undefined ? {} : { 'content-type': type };
      const bytes = body === undefined ? undefined : new TextEncoder().encode(JSON.stringify(body));
      const reply = await service.handle({ method, target, headers: { ...sent, ...headers }, body: bytes, client });
      const answer = { ...reply, body: reply.body === undefined ? undefined : JSON.parse(reply.body) };
      judgeAnswer(judge, method, target, answer);
      return answer;
    };
  const service = opened(keys);
  return {
    graph,
    store,
    service,
    keys,
    defects,
    now,
    later: (seconds) => void (ahead += seconds * 1000),
    ask: asking(service),
    again: (others) => ({ ask: asking(opened(others)) }),
    async close() {
      await service.writes.settled();
      await store.close();
      rmSync(folder, { recursive: true });
    },
  };
}
