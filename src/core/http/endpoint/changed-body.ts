import { JSON_PATCH } from '../../api/media-types.ts';
import type { Request } from '../../api/message.ts';
import type { UnitOfWork } from '../../change/unit-of-work.ts';
import type { BodyReader, ReadBody, Values } from '../../rules/schema.ts';
import { mediaTypeOf, readBodyOf } from '../request/body.ts';
import { patchedMembers, readPatch } from '../request/json-patch.ts';
import { sealed } from './record-writing.ts';
import type { RecordWriting, Seal } from './record-writing.ts';

/** The body of a change, which a JSON Patch makes of the record as its client reads it. */
export interface AskedChange {
  read(work: UnitOfWork, seen: Values): ReadBody | Promise<ReadBody>;
  /** The same with its secrets hashed, before the transaction where that is possible. Throws where it breaks rules. */
  sealed(hashSecrets: Seal): Promise<(work: UnitOfWork, seen: Values) => ReadBody | Promise<ReadBody>>;
}

export function bodyOf(
  { changes, model }: RecordWriting,
  how: 'replace' | 'update',
  request: Request,
  readers: Readonly<Record<'replace' | 'update', BodyReader>>,
): AskedChange {
  const body = readBodyOf(request, how);
  const withSecretFailures = async (read: ReadBody, record: Values): Promise<ReadBody> => {
    const failures = await changes.secretFailures(read.values, record);
    return failures.length === 0 ? read : { ...read, failures: [...read.failures, ...failures] };
  };
  if (how === 'update' && mediaTypeOf(request) === JSON_PATCH) {
    const steps = readPatch(body);
    const read = async (work: UnitOfWork, record: Values): Promise<ReadBody> => {
      const found = await changes.shown(work, record[model.key.member] as never, work.permissions);
      const patched = patchedMembers(model, JSON.parse(found!.shown) as Record<string, unknown>, steps);
      return withSecretFailures(readers.update(patched, true), record);
    };
    // The record is locked, so this hash does not wait for a turn.
    const hash: Seal = (values) => changes.hashSecrets(values);
    // To apply a long patch takes its time: it is done once for each try of the transaction.
    let last: Promise<ReadBody> | undefined;
    return {
      read: (work, seen) => last ?? read(work, seen),
      sealed: () => Promise.resolve(async (work, seen) => sealed(await (last = read(work, seen)), hash)),
    };
  }
  const read = readers[how](body);
  return {
    read: (_work, seen) => withSecretFailures(read, seen),
    async sealed(hashSecrets) {
      const made = await sealed(read, hashSecrets);
      // The secret itself is judged, not its hash; without failures nothing is copied.
      return async (_work, seen) => {
        const failures = await changes.secretFailures(read.values, seen);
        return failures.length === 0 ? made : { ...made, failures };
      };
    },
  };
}
