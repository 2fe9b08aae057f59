import { MOST_FAILURES, pointerTo } from '../../api/failure.ts';
import type { Failure } from '../../api/failure.ts';
import { MOST_AT_ONCE } from '../../api/limits.ts';
import { brokenRules } from '../../api/problems.ts';
import type { Batch } from '../../change/contract.ts';
import type { UnitOfWork } from '../../change/unit-of-work.ts';
import { MOST_SECRETS } from '../../identity/hashing.ts';
import type { Values } from '../../rules/schema.ts';
import { isRecord } from '../../text/value.ts';
import type { RecordWriting, Seal } from './record-writing.ts';

/** Values from the path, and values for members that the body leaves out. */
export interface Given {
  readonly add: Values;
  readonly fill: Values;
}

/** A new record as it was read. */
export interface ReadRecord {
  readonly values: Values;
  readonly failures: readonly Failure[];
}

/** Reads the records of a body with many. */
export async function readMany(
  writing: RecordWriting,
  bodies: readonly unknown[],
  given: Given,
): Promise<ReadRecord[]> {
  if (bodies.length === 0) {
    throw brokenRules([{ pointer: '', rule: 'minItems', detail: 'give at least one record' }]);
  }
  if (bodies.length > MOST_AT_ONCE) {
    const detail = `has ${bodies.length} records; ${MOST_AT_ONCE} is the most`;
    throw brokenRules([{ pointer: '', rule: 'maxItems', detail }]);
  }
  const read: ReadRecord[] = [];
  let count = 0;
  for (const [at, one] of bodies.entries()) {
    await writing.runtime.rest?.();
    const { values, failures } = readNew(writing, one, given, pointerTo(at));
    const ofSecret = await writing.changes.secretFailures(values);
    const all = [...failures, ...ofSecret.map((one) => ({ ...one, pointer: pointerTo(at) + one.pointer }))];
    read.push({ values, failures: all });
    count += all.length;
    if (count > MOST_FAILURES) break;
  }
  return read;
}

/** The values of many records, with their secrets hashed. */
export async function sealedMany(
  writing: RecordWriting,
  read: readonly ReadRecord[],
  hashSecrets: Seal,
): Promise<Values[]> {
  const failures = read.flatMap((one) => one.failures);
  if (failures.length > 0) throw brokenRules(failures, 'The records break');
  const secrets = read.reduce((sum, { values }) => sum + writing.changes.countSecrets(values), 0);
  if (secrets > MOST_SECRETS) {
    const detail = `have ${secrets} secrets to be hashed; ${MOST_SECRETS} is the most in one request`;
    throw brokenRules([{ pointer: '', rule: 'maxItems', detail }], 'The records break');
  }
  const hashed: Values[] = [];
  for (const { values } of read) hashed.push(await hashSecrets(values));
  return hashed;
}

/** All that is wrong with many new records, in their order. */
export async function failuresOfMany(
  { changes, runtime }: RecordWriting,
  work: UnitOfWork,
  read: readonly ReadRecord[],
  known: readonly Failure[],
): Promise<readonly Failure[]> {
  const batch: Batch = new Set();
  const all: Failure[] = [];
  for (const [at, { values }] of read.entries()) {
    await runtime.rest?.();
    const place = pointerTo(at);
    const own = known
      .filter(({ pointer }) => pointer === place || pointer.startsWith(`${place}/`))
      .map((one) => ({ ...one, pointer: one.pointer.slice(place.length) }));
    const found = await changes.failuresOfNew(work, values, own, work.permissions, batch);
    all.push(...found.map((one) => ({ ...one, pointer: place + one.pointer })));
    if (all.length > MOST_FAILURES) break;
  }
  return all;
}

/** The values of a new record from the body, the path and the caller; pointers begin with `prefix`. */
export function readNew(
  { readNewBody, owner }: RecordWriting,
  body: unknown,
  { add, fill }: Given,
  prefix: string,
): ReadRecord {
  const isObject = isRecord(body);
  const read = readNewBody(isObject ? withGiven(body, { ...fill, ...add }) : body);
  // Nobody can have read a new record: members that clients may not set are refused at once.
  const given = [...[...read.repeated.keys()].map(({ member }) => member), ...read.derived.keys()];
  const failures: Failure[] = [...read.failures, ...given.map(notForClients)];
  if (owner?.rules.required && isObject && read.values[owner.member] === undefined) {
    failures.push({ pointer: pointerTo(owner.member), rule: 'required', detail: 'must be given' });
  }
  for (const [member, value] of Object.entries(add)) {
    if (read.values[member] === value) continue;
    const detail = `the path says ${JSON.stringify(value)}; leave it out of the body`;
    failures.push({ pointer: pointerTo(member), rule: 'immutable', detail });
  }
  return { values: read.values, failures: failures.map((one) => ({ ...one, pointer: prefix + one.pointer })) };
}

/** Adds values to a body. It belongs to this request only and may be large, so it is not copied. */
function withGiven(body: Record<string, unknown>, given: Values): Record<string, unknown> {
  for (const [member, value] of Object.entries(given)) if (!Object.hasOwn(body, member)) body[member] = value;
  return body;
}

const notForClients = (member: string) => ({
  pointer: pointerTo(member),
  rule: 'readOnly',
  detail: 'is set by the service alone; leave it out',
});
