import type { Trace } from '../../core/api/message.ts';
import { HttpProblem } from '../../core/api/problems.ts';
import type { Shared } from '../../core/http/shared.ts';
import { StoreError } from '../../core/store/contract.ts';
import { EXIT, Failure } from '../../project/failure.ts';
import { observed } from '../../project/observed.ts';
import { outsideTokens } from '../../project/outside.ts';
import { serviceKeys } from '../../project/project.ts';
import { firstSamples } from '../../project/samples.ts';
import { serviceOn, storeOptions } from '../../project/serve.ts';
import type { Metrics } from '../../server/metrics.ts';
import { makeSpans } from '../../server/spans.ts';
import { traced } from '../../store/traced.ts';
import type { TracedStatement } from '../../store/traced.ts';
import type { Context } from '../command.ts';
import type { LoadedProject } from '../load-project.ts';
import { openWithAnswers } from '../resolve-questions.ts';
import { faultInjection } from './fault-injection.ts';
import type { InjectedFaults } from './fault-injection.ts';
import type { ServeLog } from './log.ts';
import type { Running } from './running.ts';

/** Hosts at which nobody but this machine is served. */
export const LOOPBACK = /^(127\.\d+\.\d+\.\d+|::1|localhost)$/;

/** What an opener works with. */
export interface OpenerParts {
  readonly host: string;
  readonly faults: InjectedFaults;
  readonly log: ServeLog;
  readonly metrics: Metrics;
  /** That of this program. */
  readonly version: string;
  /** What the workers of one machine have in common; left out: this is none of them. */
  readonly shared: Shared | undefined;
  tablesMoved(): void;
}

/** Opens a project's store and a service over it; reports its changes of the database. */
export function opener(
  context: Context,
  { host, faults, log, tablesMoved, metrics, version, shared: ofWorkers }: OpenerParts,
): (project: LoadedProject) => Promise<Running> {
  const { terminal, quiet } = context;
  const injectFault = faultInjection(faults);
  let latest: object | undefined;
  return async (project) => {
    const key = keysFor(project, host);
    const own = {};
    // A replaced service is no longer used.
    const onMoved = (): void => (own === latest ? tablesMoved() : undefined);
    const store = await openWithAnswers(context, project, {
      ...storeOptions(project.graph),
      onMoved,
      replicas: project.graph.service.replicas,
      onNews: (text) => terminal.warn(text),
    });
    latest = own;
    if (key.made) terminal.say('a key was made for this project: it is kept in .vantfell/key');
    const spans = makeSpans(version, store.kind);
    const redis = await redisOf(project, key.keys[0]!, (text) => terminal.warn(text));
    const counted = (asked: TracedStatement): void => (metrics.statement(asked), spans?.statement(asked));
    // Requests are not reported if nobody listens, which is faster.
    const seen = quiet ? undefined : observed(store, counted);
    const report = (error: unknown, request: string, trace?: Trace): void => {
      // An injected fault is no defect. Changed tables are reported once.
      const isMoved = error instanceof StoreError && error.fault.kind === 'moved';
      if (!isMoved && !(error instanceof HttpProblem)) log.defect(error, request, trace);
    };
    const service = serviceOn(project.graph, seen?.store ?? traced(store, counted), key.keys, report, {
      code: spans?.ofCode(project.loaded) ?? project.loaded,
      log: log.code,
      outside: outsideTokens(project),
      samples: () => firstSamples(project),
      shared: redis ?? ofWorkers,
      ...(injectFault === undefined ? {} : { injectFault }),
    });
    const told = seen === undefined ? service : seen.around(service, log.request);
    const counting = metrics.around(told);
    return { project, service: spans?.around(counting) ?? counting, store, redis };
  };
}

/** The keys of a project. One that is made and kept in its folder would be another on another machine. */
export function keysFor(project: LoadedProject, host: string): ReturnType<typeof serviceKeys> {
  const key = serviceKeys(project);
  if (!key.kept || LOOPBACK.test(host)) return key;
  const remedy = 'declare one in vantfell.yaml, as key: "${VANTFELL_KEY}", with 32 bytes or more';
  throw new Failure(EXIT.foundWrong, `a service for other machines needs a key of its own (host ${host})`, remedy);
}

async function redisOf({ graph }: LoadedProject, key: string, warn: (text: string) => void) {
  const { shared } = graph.service;
  if (shared === undefined) return undefined;
  const { openRedis } = await import('../../server/redis.ts');
  return openRedis(shared, key, warn);
}
