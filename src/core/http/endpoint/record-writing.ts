import type { Principal } from '../../access/principal.ts';
import { brokenRules, HttpProblem, LATER } from '../../api/problems.ts';
import type { Changes, Written } from '../../change/contract.ts';
import type { Runtime } from '../../change/runtime.ts';
import type { Hashing } from '../../identity/hashing.ts';
import type { Field } from '../../model/field.ts';
import type { Graph } from '../../model/graph.ts';
import type { Model } from '../../model/model.ts';
import type { BodyReader, ReadBody, Values } from '../../rules/schema.ts';
import type { RecordTags } from '../request/entity-tag.ts';

/** What the writes of one model are answered with. */
export interface RecordWriting {
  readonly readNewBody: BodyReader;
  readonly owner: Field | undefined;
  readonly changes: Changes;
  readonly model: Model;
  readonly tags: RecordTags;
  readonly pathOf: ({ key }: Written) => string;
  readonly runtime: Runtime;
  readonly graph: Graph;
  readonly hashing: Hashing;
}

/** Hashes secrets in turn with other requests, within the time of the write, while the client waits. */
export function sealedFor({ runtime, graph, hashing, changes }: RecordWriting, { requester }: Principal): Seal {
  const last = runtime.now().getTime() + graph.service.limits.transaction;
  const hash = async (secret: string): Promise<string> => {
    const hashed = await hashing.hash(secret, requester);
    if (runtime.now().getTime() > last) throw new HttpProblem('time-ran-out', undefined, { headers: LATER });
    return hashed;
  };
  return (values) => changes.hashSecrets(values, hash);
}

export async function sealed(read: ReadBody, hashSecrets: Seal): Promise<ReadBody> {
  if (read.failures.length > 0) throw brokenRules(read.failures);
  return { ...read, values: await hashSecrets(read.values) };
}

/** Gives values with their secrets hashed. */
export type Seal = (values: Values) => Promise<Values>;
