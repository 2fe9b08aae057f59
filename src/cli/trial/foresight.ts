import { heldRoles } from '../../core/identity/callers.ts';
import { VERIFIED } from '../../core/model/access.ts';
import type { Graph } from '../../core/model/graph.ts';
import type { FieldValue, Scalar } from '../../core/model/scalar.ts';
import type { Answer, Fault } from '../../core/trial/answer.ts';
import { defectFault } from '../../core/trial/foresee.ts';
import type { CodeNote, CodeWatch } from '../../core/trial/observe-code.ts';
import type { Asking } from '../../core/trial/oracle/asking.ts';
import { ITSELF } from '../../core/trial/oracle/grants.ts';
import type { Who } from '../../core/trial/oracle/grants.ts';
import { predictorOf } from '../../core/trial/oracle/predict.ts';
import type { Predicted } from '../../core/trial/oracle/predict.ts';
import type { WorldState } from '../../core/trial/oracle/world-state.ts';
import type { Sent } from '../../core/trial/report/outcome.ts';
import type { Person } from '../../core/trial/world.ts';
import { followInSomeOrder } from './orders.ts';
import type { TrialClock } from './trial-clock.ts';

/** What the oracle says of requests, while it follows what they do. */
export interface Foresight {
  /** What a request must be answered with; to be asked for before it is sent. */
  predict(sent: Sent): Promise<Predicted>;
  /** Follows the request that was predicted last. Returns what the project's own code did meanwhile. */
  follow(sent: Sent, predicted: Predicted, answer: Answer): readonly CodeNote[];
  /** What answers to requests that were sent at once have other than in any order; it follows the order that fits. */
  judgeTogether(sent: readonly Sent[], answers: readonly Answer[]): Promise<Fault[]>;
  /** Requests were sent that were not predicted: the world is read again when it is needed next. */
  lose(): void;
  /** The records are again as they were in the beginning. */
  reset(): void;
  /** The world as the oracle has it; undefined where it does not know it. */
  known(): WorldState | undefined;
  /** The world as the oracle has it; read from the database where it does not know it. */
  world(): Promise<WorldState>;
}

export interface ForesightParts {
  readonly graph: Graph;
  readonly begin: WorldState;
  readonly people: readonly Person[];
  readonly clock: TrialClock;
  readonly watch: CodeWatch;
  /** Reads all records. */
  readonly read: () => Promise<WorldState>;
}

export function makeForesight({ graph, begin, people, clock, watch, read }: ForesightParts): Foresight {
  const predictor = predictorOf(graph, new Set(watch.code.hooks.keys()));
  const keys = new Map(people.map(({ name, caller }) => [name, caller?.key]));
  const { identity } = graph;
  const proved = provedAddresses(graph, begin, people);
  let state: WorldState | undefined = begin.fork();
  let ended: ReadonlySet<string> = new Set();

  /** A service keeps callers in memory for a while: time goes on where their records have changed. */
  function become(next: WorldState | undefined): void {
    const isSame =
      identity === undefined || (next !== undefined && next.allOf(identity.model) === state?.allOf(identity.model));
    if (!isSame) clock.skip();
    if (state !== undefined) ({ ended } = state);
    state = next;
  }

  const world = async (): Promise<WorldState> => {
    if (state === undefined) {
      const found = await read();
      ended.forEach((key) => found.endTokens(key));
      become(found);
    }
    return state!;
  };

  /** What is known of a world that is lost: whose tokens these requests ended. */
  function becomeLost(worlds: readonly (WorldState | undefined)[]): void {
    become(undefined);
    ended = new Set([...ended, ...worlds.flatMap((one) => [...(one?.ended ?? [])])]);
  }

  const askingOf = (sent: Sent, now: WorldState): Asking => askingBy(graph, keys.get(sent.as ?? ''), sent, now, proved);

  return {
    world,
    known: () => state,
    async judgeTogether(sent, answers) {
      const begun = await world();
      const isDefect = answers.find(({ status }) => status >= 500);
      if (isDefect !== undefined) return [defectFault(isDefect)];
      const pairs = sent.map((one, at) => [one, answers[at]!] as const);
      const predict = (one: Sent, now: WorldState): Predicted =>
        predictor.predict(now, askingOf(one, now), clock.now());
      const isOwnCode = watch.take().length > 0;
      const followed = isOwnCode ? { world: undefined } : followInSomeOrder(begun, pairs, predict, predictor.forget);
      pairs.forEach(([one, answer]) => predictor.answered(askingOf(one, begun), answer));
      if ('faults' in followed) return followed.faults;
      if (followed.world !== undefined) become(followed.world);
      else becomeLost(pairs.map(([one, answer]) => afterAlone(predict(one, begun), answer)));
      return [];
    },
    async predict(sent) {
      const now = await world();
      clock.tick();
      watch.take();
      return predictor.predict(now, askingOf(sent, now), clock.now());
    },
    follow(sent, predicted, answer) {
      const notes = watch.take();
      // A refused request has changed nothing, and neither has a read.
      if (answer.status >= 400) return notes;
      if (state !== undefined) predictor.answered(askingOf(sent, state), answer);
      const isKnown = 'status' in predicted && predicted.status === answer.status;
      const next = isKnown ? predicted.after(answer) : undefined;
      if (notes.length > 0) predictor.forget(answer);
      if (sent.method === 'GET') return notes;
      if (notes.length > 0) becomeLost([next]);
      else become(next);
      return notes;
    },
    lose: () => become(undefined),
    reset() {
      predictor.reset();
      become(begin.fork());
      ended = new Set();
    },
  };
}

/** What a request leads to by itself, where it was answered as predicted. */
const afterAlone = (predicted: Predicted, answer: Answer): WorldState | undefined =>
  'status' in predicted && predicted.status === answer.status && answer.status < 400
    ? predicted.after(answer)
    : undefined;

function askingBy(graph: Graph, key: Scalar | undefined, sent: Sent, now: WorldState, proved: Proved): Asking {
  const { method, path, headers, body, as } = sent;
  const [plain = '', query = ''] = path.split(/\?(.*)/s);
  return { method, path: plain, query, headers, body, who: whoIs(graph, key, as, now, proved) };
}

/** The addresses that people have proved, by their keys. */
function provedAddresses({ identity }: Graph, begin: WorldState, people: readonly Person[]): Proved {
  const proved = people.filter(({ caller }) => caller?.roles.includes(VERIFIED));
  const addressOf = (key: Scalar): FieldValue =>
    begin.byKey(identity!.model, key)?.[identity!.codes!.to.member] ?? null;
  return new Map(proved.map(({ caller }) => [caller!.key, addressOf(caller!.key)]));
}

type Proved = ReadonlyMap<Scalar, FieldValue>;

/** Who asks, with the roles that their record has now. */
function whoIs(
  { identity }: Graph,
  key: Scalar | undefined,
  name: string | undefined,
  world: WorldState,
  proved: Proved,
): Who {
  if (name === undefined) return ITSELF;
  if (key === undefined || identity === undefined) return null;
  const record = world.byKey(identity.model, key) ?? {};
  const roles = (record[identity.roles?.member ?? ''] ?? null) as string[] | string | null;
  const address = proved.get(key);
  return { key, roles: heldRoles(roles, address !== undefined && address === record[identity.codes!.to.member]) };
}
