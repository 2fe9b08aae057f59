import { Agent, request } from 'node:http';
import type { Caller } from '../../src/core/expression/context.ts';
import { heldRoles } from '../../src/core/identity/callers.ts';
import type { Graph } from '../../src/core/model/graph.ts';
import type { Store } from '../../src/core/store/contract.ts';
import { verifiedTable } from '../../src/core/tables/own-tables.ts';
import type { Row } from '../../src/core/trial/oracle/world-state.ts';
import { startServer } from '../../src/server/server.ts';
import { openTestService } from './open-test-service.ts';
import type { TestReply } from './open-test-service.ts';

/** Somebody, and how they are known. */
export interface Person {
  readonly name: string;
  readonly caller: Caller | null;
  readonly token?: string;
}

/** A project's service with its samples, asked over sockets by everybody whom it knows, and by nobody. */
export interface AskedProject {
  readonly graph: Graph;
  readonly store: Store;
  readonly people: readonly Person[];
  /** Everything that was written to the log. */
  readonly logged: string[];
  /** What the service reported as defects. */
  readonly defects: string[];
  rows(): Promise<Map<string, readonly Row[]>>;
  ask(
    who: Person,
    method: string,
    target: string,
    body?: unknown,
    headers?: Record<string, string>,
  ): Promise<TestReply>;
  close(): Promise<void>;
}

const forgetAddress = ({ transaction, dialect: { name, placeholder } }: Store, key: string): Promise<unknown> =>
  transaction((one) =>
    one.run({ sql: `DELETE FROM ${name(verifiedTable.name)} WHERE ${name('caller')} = ${placeholder(1)}` }, [key]),
  );

/** `database` is the address of an empty one; left out: an SQLite file. */
export async function askedProject(projectFolder: string, database?: string): Promise<AskedProject> {
  const logged: string[] = [];
  const note = (message: string, details: object = {}): void => void logged.push(message + JSON.stringify(details));
  const opened = await openTestService(projectFolder, { database, log: { info: note, warn: note, error: note } });
  const { graph, store, service } = opened;
  const server = await startServer(service, { host: '127.0.0.1', port: 0, largestBody: 1_000_000 });
  const agent = new Agent({ keepAlive: true, maxSockets: 4 });

  async function rows(): Promise<Map<string, readonly Row[]>> {
    const found = new Map<string, readonly Row[]>();
    await service.writes.run(null, async (work) => {
      const scope = service.writes.scopeOf(work);
      for (const { name } of graph.models) found.set(name, await scope.model(name).find(undefined, { limit: 9_999 }));
    });
    return found;
  }

  const people: Person[] = [{ name: 'nobody', caller: null }];
  const { identity } = graph;
  if (identity !== undefined) {
    const { key } = graph.byName.get(identity.model)!;
    const proves = identity.codes?.verify !== undefined;
    for (const [at, row] of (await rows()).get(identity.model)!.entries()) {
      // Where addresses are proved, every second caller has not.
      const isProved = proves && at % 2 === 0;
      if (proves && !isProved) await forgetAddress(store, row[key.member] as string);
      const roles = heldRoles((row[identity.roles!.member] ?? []) as string[], isProved);
      const caller: Caller = { key: row[key.member] as string, roles };
      people.push({
        name: row[identity.login!.member] as string,
        caller,
        token: await service.token(String(caller.key), 3600),
      });
    }
  }

  return {
    graph,
    store,
    people,
    logged,
    defects: opened.defects,
    rows,
    ask: ({ token }, method, target, body, headers = {}) =>
      new Promise((resolve, reject) => {
        const type = method === 'PATCH' ? 'application/merge-patch+json' : 'application/json';
        const bytes = body === undefined ? undefined : Buffer.from(JSON.stringify(body));
        const sent = {
          ...(bytes === undefined ? {} : { 'content-type': type, 'content-length': String(bytes.length) }),
          ...(token === undefined ? {} : { authorization: `Bearer ${token}` }),
          ...headers,
        };
        const asked = request(server.url + target, { method, headers: sent, agent }, (response) => {
          const chunks: Buffer[] = [];
          response.on('data', (chunk: Buffer) => chunks.push(chunk));
          response.on('end', () => {
            const text = Buffer.concat(chunks).toString();
            const isJson = response.headers['content-type']?.includes('json') === true;
            resolve({
              status: response.statusCode!,
              headers: response.headers as Record<string, string>,
              body: isJson ? JSON.parse(text) : text,
            });
          });
        });
        asked.on('error', reject).end(bytes);
      }),
    async close() {
      agent.destroy();
      await server.close();
      await opened.close();
    },
  };
}
