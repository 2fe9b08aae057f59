import { randomBytes } from 'node:crypto';
import type { Code } from '../../core/change/code.ts';
import { openApi } from '../../core/document/openapi.ts';
import { LOWEST_COST } from '../../core/identity/secret.ts';
import type { Graph } from '../../core/model/graph.ts';
import type { KnownValues } from '../../core/rules/examples.ts';
import type { Service } from '../../core/service.ts';
import type { Store } from '../../core/store/contract.ts';
import type { Derived } from '../../core/trial/derive.ts';
import { makeDocumentJudge } from '../../core/trial/document-judge.ts';
import { watchCode } from '../../core/trial/observe-code.ts';
import type { JournalLine, WorldState } from '../../core/trial/oracle/world-state.ts';
import type { World } from '../../core/trial/world.ts';
import type { SoundProject } from '../../project/project.ts';
import { serviceOn } from '../../project/serve.ts';
import { copyRows } from '../../store/row-copy.ts';
import type { RowCopy } from '../../store/row-copy.ts';
import { listen } from '../serve/listen.ts';
import { makeForesight } from './foresight.ts';
import type { Tried } from './run-cases.ts';
import { readJournal, readWorld, stageOf } from './stage.ts';
import { trialClock } from './trial-clock.ts';

/** The secrets of a throwaway database protect nothing. */
export const CHEAP = { hashCost: LOWEST_COST } as const;

/** Services over a throwaway database with the samples, and the cases to try on them. */
export interface OpenTrial {
  readonly derived: Derived;
  /** The keys of samples, by `hut/grey-hut`. */
  readonly keys: ReadonlyMap<string, unknown>;
  readonly known: KnownValues;
  /** Reads all records as they stand. */
  read(): Promise<WorldState>;
  /** Reads all lines of the journal. */
  journal(): Promise<readonly JournalLine[]>;
  now(): Date;
  /** The samples; undefined where there are too many records. */
  readonly world: World | undefined;
  readonly document: Record<string, unknown>;
  readonly tried: Tried;
  /** Puts the samples back. */
  readonly snapshot: RowCopy;
  /** What the services reported as defects. */
  readonly defects: readonly unknown[];
  /** How many `afterCommit` hooks of each model were left out. */
  untold(): ReadonlyMap<string, number>;
  close(): Promise<void>;
}

/**
 * Gives another service in the place of a sound one. `opened` makes one in the same surroundings by other models or
 * other code.
 */
export type Around = (service: Service, everybody: boolean, opened: (graph: Graph, code: Code) => Service) => Service;

/** `around` may put something between the clients and a service: it makes services worse, to see that it is noticed. */
export async function openTrial(
  project: SoundProject,
  code: Code,
  store: Store,
  address: string,
  around: Around = (service) => service,
): Promise<OpenTrial> {
  const { graph } = project;
  const key = randomBytes(32).toString('hex');
  const defects: unknown[] = [];
  const [clock, watch] = [trialClock(), watchCode(code)];
  // Without limits of requests, which would only count the trial's own.
  const limits = { ...graph.service.limits, rate: undefined, signIn: 1_000_000, codes: 1_000_000 };
  const unlimited = { ...graph, service: { ...graph.service, limits: limits as Graph['service']['limits'] } };
  // Messages of a trial are sent to nobody.
  const codes = new Map<string, string>();
  const send: Code['send'] = (_kind, to, message) => void codes.set(to, message.code);
  const opened = (everybody: boolean, of = unlimited, by = watch.code): Service =>
    serviceOn(of, store, [key], (error) => defects.push(error), {
      code: { ...by, send },
      quiet: true,
      everybody,
      now: clock.now,
      ...CHEAP,
    });
  const [own, open, limited] = [opened(false), opened(true), opened(false, graph)];
  const { derived, tokens, keys, world, known } = await stageOf(project, own, store, clock.now());
  const document = openApi(graph);
  const snapshot = await copyRows(store, address);
  const at = { host: '127.0.0.1', port: 0, largestBody: graph.service.limits.body };
  const between = (service: Service, everybody: boolean): Service =>
    around(service, everybody, (by, its) => opened(everybody, by, its));
  const servers = [
    await listen(between(own, false), at),
    await listen(between(open, true), at),
    await listen(between(limited, false), at),
  ];
  const parts = { graph, clock, watch, read: () => readWorld(graph, own, store) };
  const tried: Tried = {
    own: servers[0]!.url,
    open: servers[1]!.url,
    limited: servers[2]!.url,
    tokenOf: (name) => tokens.get(name),
    async codes() {
      await own.settled();
      return codes;
    },
    document: makeDocumentJudge(document),
    ...(world === undefined
      ? {}
      : { foresight: makeForesight({ ...parts, begin: world.state, people: world.people }) }),
  };
  return {
    derived,
    keys,
    world,
    known,
    read: parts.read,
    journal: () => readJournal(store),
    now: clock.now,
    document,
    tried,
    snapshot,
    defects,
    untold: () => new Map([...own.writes.untold(), ...open.writes.untold()]),
    async close() {
      await Promise.all(servers.map((server) => server.close()));
      await snapshot.close();
    },
  };
}
