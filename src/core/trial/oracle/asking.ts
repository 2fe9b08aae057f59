import type { Endpoint } from '../../api/endpoints.ts';
import { modelOf } from '../../model/graph.ts';
import type { Graph } from '../../model/graph.ts';
import type { Model } from '../../model/model.ts';
import type { Scalar } from '../../model/scalar.ts';
import { fromText } from '../../model/value.ts';
import { isRecord } from '../../text/value.ts';
import type { Answer, Fault } from '../answer.ts';
import type { Paths } from './find-endpoint.ts';
import type { Who } from './grants.ts';
import type { Values } from './read-body.ts';
import { Refusal, unknownRecord } from './refusal.ts';
import type { WorldState } from './world-state.ts';
import type { Writing } from './writing.ts';

/** A request, and who sends it. */
export interface Asking {
  readonly method: string;
  readonly path: string;
  /** Without its `?`. */
  readonly query: string;
  readonly headers: Readonly<Record<string, string>>;
  readonly body?: unknown;
  readonly who: Who;
}

/** What a request must be answered with. */
export interface Prediction {
  readonly status: number;
  /** The failures that the problem must name, for people: `check at /leaves_at`. Empty where there is none. */
  readonly reason: string;
  /** What an answer has other than it should. */
  faults(answer: Answer): Fault[];
  /** The world afterwards; undefined where only the database knows it. */
  after(answer: Answer): WorldState | undefined;
}

/** What one endpoint is asked for. */
export interface AskedEndpoint {
  readonly endpoint: Endpoint;
  readonly model: Model;
  readonly key: string | undefined;
  readonly asking: Asking;
  readonly writing: Writing;
}

/** 400 where a query is given to what takes none. */
export function refuseQuery({ query }: Asking): void {
  if (query !== '') throw new Refusal('invalid-parameter');
}

/** A text that can't be a key is no record's key. */
export function keyOf(model: Model, text: string): Scalar {
  const found = fromText(model.key, text);
  if ('fault' in found) throw new Refusal('not-found');
  return found.value as Scalar;
}

/** The key of the parent that a path names; a refusal where such a caller can read none, or where it can't be a key. */
export function parentKey({ writing, model, key, endpoint }: AskedEndpoint): Scalar | undefined {
  if (endpoint.under === undefined) return undefined;
  const { oracle, state, who } = writing;
  const whole = modelOf(state.graph, model.parent!.target);
  if (!oracle.could(whole.access.verbs.read, whole, who)) throw unknownRecord(oracle, whole, who);
  return keyOf(whole, key!);
}

/** The parent that the path names, which the caller must be able to read. */
export function parentOf(asked: AskedEndpoint): Values {
  const key = parentKey(asked);
  if (key === undefined) return {};
  const { oracle, state, who } = asked.writing;
  const { field, target } = asked.model.parent!;
  const whole = modelOf(state.graph, target);
  const found = state.byKey(target, key);
  if (found === undefined || !oracle.may(whole, 'read', found, who)) throw unknownRecord(oracle, whole, who);
  return { [field.member]: found[whole.key.member]! };
}

/** What predictions are made with. */
export interface PredictorParts {
  readonly graph: Graph;
  readonly paths: Paths;
  /** The state of the record that an entity tag names, as far as answers have told it. */
  readonly tags: Map<string, string>;
  /** What requests with an Idempotency-Key were answered. */
  readonly claims: Map<string, { readonly body: string; readonly status: number }>;
  readonly hooked: ReadonlySet<string>;
}

/** What an answer has under `data`. */
export const dataIn = ({ body }: Answer): unknown => (isRecord(body) ? body.data : undefined);
