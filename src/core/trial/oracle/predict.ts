import type { Graph } from '../../model/graph.ts';
import type { Answer } from '../answer.ts';
import { faultOf } from '../judge.ts';
import type { AskedEndpoint, Asking, Prediction, PredictorParts } from './asking.ts';
import { pathsOf } from './find-endpoint.ts';
import { ITSELF } from './grants.ts';
import { created } from './predict-create.ts';
import { journalPrediction } from './predict-journal.ts';
import { listPrediction } from './predict-list.ts';
import { operated } from './predict-operation.ts';
import { changed, cleared, deleted, read } from './predict-record.ts';
import { isWholeList } from './read-value.ts';
import type { Broken } from './read-value.ts';
import { Refusal, Unsure } from './refusal.ts';
import { stateIn } from './tags.ts';
import { keyTextOf } from './world-state.ts';
import type { WorldState } from './world-state.ts';
import { writingOn } from './writing.ts';

/** Nothing is predicted, and why. */
export interface NoPrediction {
  readonly unsure: string;
}

export type Predicted = Prediction | NoPrediction;

/** What requests are answered with, predicted from the declarations and a world in plain JavaScript. */
export interface Predictor {
  predict(state: WorldState, asking: Asking, now: Date): Predicted;
  /** Notes that a request was answered: with the same Idempotency-Key it is not carried out again. */
  answered(asking: Asking, answer: Answer): void;
  /** The answer is about a record that was changed by what is not predicted: its tag says nothing. */
  forget(answer: Answer): void;
  /** The records are again as they were in the beginning. */
  reset(): void;
}

/** `hooked` are the models with hooks of the project's own. */
export function predictorOf(graph: Graph, hooked: ReadonlySet<string> = new Set()): Predictor {
  const parts: PredictorParts = { graph, paths: pathsOf(graph), tags: new Map(), claims: new Map(), hooked };
  return {
    predict(state, asking, now) {
      try {
        return predicted(parts, state, asking, now);
      } catch (error) {
        if (error instanceof Refusal) return refused(error, state);
        if (error instanceof Unsure) return { unsure: error.message };
        throw error;
      }
    },
    answered(asking, { status }) {
      if (asking.method !== 'POST' || status >= 300 || asking.headers['idempotency-key'] === undefined) return;
      const name = claimOf(asking);
      if (!parts.claims.has(name)) parts.claims.set(name, { body: bodyText(asking), status });
    },
    forget: ({ headers }) => void (headers.etag !== undefined && parts.tags.delete(stateIn(headers.etag))),
    reset: () => parts.claims.clear(),
  };
}

function predicted(parts: PredictorParts, state: WorldState, asking: Asking, now: Date): Prediction {
  const { graph, paths } = parts;
  const { who, method, path, headers } = asking;
  const found = paths.find(method, path);
  if (found === undefined) throw new Unsure('the path is no endpoint');
  if (who !== ITSELF && who !== null) {
    const isOver = state.ended.has(keyTextOf(who.key));
    if (isOver || state.byKey(graph.identity!.model, who.key) === undefined) throw new Refusal('invalid-token');
  }
  if (found === 'other-method') throw new Refusal('method-not-allowed');
  const asked: AskedEndpoint = {
    endpoint: found.endpoint,
    model: found.endpoint.model,
    key: found.key,
    asking,
    writing: writingOn(state.fork(), who, now),
  };
  return headers['idempotency-key'] === undefined ? answerOf(parts, asked) : onceOf(parts, asked, state);
}

function answerOf(parts: PredictorParts, asked: AskedEndpoint): Prediction {
  switch (asked.endpoint.name) {
    case 'create':
      return created(parts, asked);
    case 'replace':
    case 'update':
      return changed(parts, asked, asked.endpoint.name);
    case 'delete':
      return deleted(parts, asked);
    case 'clear':
      return cleared(parts, asked);
    case 'read':
      return read(parts, asked);
    case 'list':
      return listPrediction(asked);
    case 'journal':
      return journalPrediction(asked);
    case 'operation':
      return operated(asked);
  }
}

/** A request with an Idempotency-Key is answered once; the key goes with POST, and belongs to somebody. */
function onceOf(parts: PredictorParts, asked: AskedEndpoint, state: WorldState): Prediction {
  const { graph, claims } = parts;
  const { method, who } = asked.asking;
  const isWrong = method === 'PATCH' || (method === 'POST' && who === null && graph.identity !== undefined);
  if (isWrong) throw new Refusal('malformed-request');
  if (method !== 'POST') return answerOf(parts, asked);
  const before = claims.get(claimOf(asked.asking));
  if (before === undefined) return answerOf(parts, asked);
  if (before.body !== bodyText(asked.asking)) throw new Refusal('other-request');
  return { status: before.status, reason: '', faults: () => [], after: () => state };
}

/** Whose request with an Idempotency-Key it is, and which. */
function claimOf({ who, method, path, query, headers }: Asking): string {
  const by = who === null || who === ITSELF ? '' : String(who.key);
  return JSON.stringify([by, method, path, query, headers['idempotency-key']]);
}

const bodyText = ({ body }: Asking): string => JSON.stringify(body) ?? '';

function refused({ status, errors, one, problem }: Refusal, state: WorldState): Prediction {
  const reason = [problem, ...(errors ?? []).map(({ rule, pointer }) => ruleText(rule, pointer))].join(', ');
  return {
    status,
    reason,
    faults(answer) {
      const { type, errors: got = [] } = (answer.body ?? {}) as { type?: string; errors?: Partial<Broken>[] };
      if (type !== undefined && !type.endsWith(`/${problem}`)) return [faultOf('the problem', problem, type)];
      if (errors === undefined || !isWholeList(errors)) return [];
      const names = (all: readonly Partial<Broken>[]): string[] =>
        [...new Set(all.map(({ rule = '', pointer = '' }) => ruleText(rule, pointer)))].sort();
      const [wanted, found] = [names(errors), names(got)];
      const isRight = one ? found.every((name) => wanted.includes(name)) : found.join() === wanted.join();
      return isRight && (found.length > 0 || wanted.length === 0) ? [] : [faultOf('the errors', wanted, found)];
    },
    after: () => state,
  };
}

const ruleText = (rule: string, pointer: string): string => (pointer === '' ? rule : `${rule} at ${pointer}`);
