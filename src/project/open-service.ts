import { resolve } from 'node:path';
import { trace as traces } from '@opentelemetry/api';
import { tooLarge } from '../core/api/problems.ts';
import type { Reply } from '../core/api/message.ts';
import type { Scope } from '../core/change/scope.ts';
import { traceOf } from '../core/http/trace.ts';
import { soundCode } from './code.ts';
import { EXIT, Failure } from './failure.ts';
import { openDatabase } from './database.ts';
import { fittedProject } from './fitted.ts';
import { readProject, serviceKeys } from './project.ts';
import type { SoundProject } from './project.ts';
import { outsideTokens } from './outside.ts';
import { firstSamples } from './samples.ts';
import { serviceOn, storeOptions } from './serve.ts';

/** A project's API inside a program, without a socket. */
export interface OpenService {
  /** Answers a WHATWG `Request`, for any server or test to mount. */
  fetch(request: Request): Promise<Response>;
  /** Does some work in one transaction, with the service's authority. */
  transaction<Result>(work: (scope: Scope) => Promise<Result>): Promise<Result>;
  /** Waits for what is under way, and closes the store. */
  close(): Promise<void>;
}

/**
 * Opens the project in a folder. Rejects where its declarations have errors, or its store can't be had.
 *
 * @example
 * const service = await openService('./fell-huts');
 * const answer = await service.fetch(new Request('http://huts.example/v1/huts?limit=5'));
 * await service.close();
 */
export async function openService(folder: string): Promise<OpenService> {
  const read = readProject(resolve(folder));
  const project = read.graph === undefined ? read : await fittedProject(read as SoundProject);
  if (project.graph === undefined) {
    const [first] = project.problems;
    const where = first === undefined ? '' : `: ${first.place.file}:${first.place.line} ${first.message}`;
    throw new Failure(EXIT.foundWrong, `the declarations have errors${where}`, 'vantfell check shows them all');
  }
  const sound = project as SoundProject;
  const code = await soundCode(sound);
  const { store } = await openDatabase(sound, undefined, undefined, {
    ...storeOptions(project.graph),
    replicas: project.graph.service.replicas,
    onNews: (text) => console.warn(text),
  });
  const service = serviceOn(project.graph, store, serviceKeys(sound).keys, (error) => console.error(error), {
    code,
    log: console,
    outside: outsideTokens(sound),
    samples: () => firstSamples(sound),
  });
  const largestBody = project.graph.service.limits.body;

  return {
    async fetch(request) {
      const { pathname, search } = new URL(request.url);
      const target = pathname + search;
      const body = request.body === null ? undefined : new Uint8Array(await request.arrayBuffer());
      const headers = Object.fromEntries(request.headers);
      if (body !== undefined && body.length > largestBody) {
        return asResponse(service.refuse(tooLarge(largestBody), { target, headers }));
      }
      const trace = traceOf(headers, traces.getActiveSpan()?.spanContext());
      const reply = await service.handle({ method: request.method, target, headers, body, trace });
      return asResponse(reply, request.method === 'HEAD');
    },
    transaction: (work) => service.writes.run(null, (under) => work(service.writes.scopeOf(under))),
    async close() {
      await service.settled();
      await store.close();
    },
  };
}

function asResponse({ status, headers, body, coded }: Reply, withoutBody = false): Response {
  return new Response(withoutBody ? null : ((coded as Uint8Array<ArrayBuffer> | undefined) ?? body ?? null), {
    status,
    headers,
  });
}
