import { cpSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { noCode } from '../../src/core/change/code.ts';
import type { Runtime } from '../../src/core/change/runtime.ts';
import type { Log } from '../../src/core/change/scope.ts';
import { openApi } from '../../src/core/document/openapi.ts';
import type { Send } from '../../src/core/identity/messenger.ts';
import type { OutsideTokens } from '../../src/core/identity/tokens.ts';
import type { Graph } from '../../src/core/model/graph.ts';
import type { Limits } from '../../src/core/model/service.ts';
import { loadSamples } from '../../src/core/samples/load.ts';
import { readSamples } from '../../src/core/samples/read.ts';
import { makeService } from '../../src/core/service.ts';
import type { Service } from '../../src/core/service.ts';
import type { Store } from '../../src/core/store/contract.ts';
import { designTables } from '../../src/core/tables/design.ts';
import {
  codesTable,
  credentialsTable,
  journalTable,
  requestsTable,
  sessionsTable,
  verifiedTable,
} from '../../src/core/tables/own-tables.ts';
import { makeDocumentJudge } from '../../src/core/trial/document-judge.ts';
import { soundCode } from '../../src/project/code.ts';
import { openDatabase } from '../../src/project/database.ts';
import { readProject, runtime } from '../../src/project/project.ts';
import type { SoundProject } from '../../src/project/project.ts';
import { readSampleFiles } from '../../src/project/samples.ts';
import { storeOptions, writesOn } from '../../src/project/serve.ts';
import { judgeAnswer } from './judged.ts';

export interface TestServiceOptions {
  /** The address of an empty database; left out: an SQLite file. */
  readonly database?: string | undefined;
  /** Files that are added to the project, or take the place of its own. */
  readonly files?: Readonly<Record<string, string>>;
  readonly limits?: Partial<Limits>;
  readonly origins?: readonly string[];
  readonly outside?: OutsideTokens;
  readonly log?: Log;
  /** Where messages to callers go; left out: into the project's mailbox. */
  readonly send?: Send;
  /** Whether the samples are loaded; they are where it is left out. */
  readonly samples?: boolean;
  /** Whether everybody may do everything, and the project's code is left out. */
  readonly everybody?: boolean;
  /** Whether samples get the same keys and times on every database. */
  readonly repeatable?: boolean;
  /** Stands between the service and its store. */
  readonly around?: (store: Store) => Store;
}

/** An answer with its body parsed. */
export interface TestReply {
  readonly status: number;
  readonly headers: Readonly<Record<string, string>>;
  // Tests look into bodies of every form.
  // eslint-disable-next-line @typescript-eslint/no-explicit-any
  readonly body: any;
}

export interface Asks {
  ask(
    method: string,
    target: string,
    body?: unknown,
    headers?: Record<string, string>,
    client?: string,
  ): Promise<TestReply>;
}

/** A project's service, asked without sockets, by a clock that the test turns; every answer fits the document. */
export interface TestService extends Asks {
  readonly graph: Graph;
  readonly store: Store;
  readonly service: Service;
  readonly keys: readonly string[];
  /** What the service reported as defects. */
  readonly defects: string[];
  now(): Date;
  /** Lets so many seconds go by. */
  later(seconds: number): void;
  /** Another service over the same database, with these keys and the same clock. */
  again(keys: readonly string[]): Asks;
  /** All that the database holds, a text for each table. */
  everything(): Promise<Record<string, string>>;
  close(): Promise<void>;
}

/** Tables of the tool's own with something of requests and callers. */
const OWN = [journalTable, requestsTable, credentialsTable, sessionsTable, codesTable, verifiedTable];

const KEY = 'a-key-for-tests-a-key-for-tests-a-key';

/** Opens a copy of a project on a database of its own. */
export async function openTestService(projectFolder: string, options: TestServiceOptions = {}): Promise<TestService> {
  const folder = mkdtempSync(join(tmpdir(), 'vantfell-service-'));
  const project = copiedProject(projectFolder, folder, options);
  const { graph } = project;
  const loaded = options.everybody === true ? noCode : await soundCode(project);
  const code = options.send === undefined ? loaded : { ...loaded, send: options.send };
  const address = options.database ?? `sqlite:${join(folder, 'service.db')}`;
  const { store } = await openDatabase(project, address, undefined, { ...storeOptions(graph), slowReads: 0 });
  if (options.samples !== false) {
    const { rows } = readSamples(graph, readSampleFiles(folder, graph).sources);
    await loadSamples(graph, store, rows, writesOn(graph, store, code, loadingRuntime(options)));
  }
  let ahead = 0;
  const defects: string[] = [];
  const now = (): Date => new Date(Date.now() + ahead);
  const keys = graph.service.keys.length > 0 ? graph.service.keys : [KEY];
  const opened = ([key, ...olderKeys]: readonly string[]): Service =>
    makeService(graph, options.around?.(store) ?? store, {
      ...runtime,
      now,
      code,
      key: key!,
      olderKeys,
      outside: options.outside,
      ...(options.log === undefined ? {} : { log: options.log }),
      everybody: options.everybody === true,
      report: (error) => defects.push(String(error)),
    });
  const asking = asker(graph);
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
    everything: () => everythingIn(graph, store),
    async close() {
      await service.settled();
      await store.close();
      rmSync(folder, { recursive: true });
    },
  };
}

function copiedProject(from: string, folder: string, options: TestServiceOptions): SoundProject {
  cpSync(from, folder, { recursive: true });
  for (const [name, text] of Object.entries(options.files ?? {})) {
    mkdirSync(dirname(join(folder, name)), { recursive: true });
    writeFileSync(join(folder, name), text);
  }
  const project = readProject(folder) as SoundProject;
  const { service } = project.graph;
  const limits = { ...service.limits, ...options.limits };
  const cors = { ...service.cors, origins: options.origins ?? service.cors.origins };
  const settings = { ...service, limits, cors };
  return { ...project, graph: { ...project.graph, service: settings } };
}

function loadingRuntime({ repeatable = false }: TestServiceOptions): Runtime {
  if (!repeatable) return runtime;
  let made = 0;
  const uuid = (): string => `00000000-0000-7000-8000-${String((made += 1)).padStart(12, '0')}`;
  return { ...runtime, uuid, now: () => new Date(Date.UTC(2026, 5, 1, 10, 0, 0, made)) };
}

function asker(graph: Graph): (service: Service) => Asks['ask'] {
  const judge = makeDocumentJudge(openApi(graph));
  return (service) =>
    async (method, target, body, headers = {}, client = '10.0.0.1') => {
      const type = method === 'PATCH' ? 'application/merge-patch+json' : 'application/json';
      const sent = body === undefined ? {} : { 'content-type': type };
      const bytes = body === undefined ? undefined : new TextEncoder().encode(JSON.stringify(body));
      const reply = await service.handle({ method, target, headers: { ...sent, ...headers }, body: bytes, client });
      const answer = { ...reply, body: reply.body === undefined ? undefined : JSON.parse(reply.body) };
      judgeAnswer(judge, method, target, answer);
      return answer;
    };
}

async function everythingIn(graph: Graph, store: Store): Promise<Record<string, string>> {
  const texts: Record<string, string> = {};
  for (const { name } of [...designTables(graph), ...OWN]) {
    const rows = await store.all({ sql: `SELECT * FROM ${name}` }, []);
    texts[name] = rows
      .map((row) => JSON.stringify(row))
      .sort()
      .join('\n');
  }
  return texts;
}
