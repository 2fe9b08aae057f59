import { stepsOf } from '../api/failure.ts';
import type { Failure } from '../api/failure.ts';
import { brokenRules, HttpProblem } from '../api/problems.ts';
import type { ReadBody, Values } from '../rules/schema.ts';
import type { RecordChecks } from './check-record.ts';
import type { BodyOf, Client, LockedRecord } from './contract.ts';
import { clearedByReplace, defaultsOf } from './defaults.ts';
import type { ModelWriting } from './model-writing.ts';
import { changesRefused } from './refusals.ts';
import { requestedValues } from './requested-values.ts';
import { evaluationOf } from './unit-of-work.ts';
import type { UnitOfWork } from './unit-of-work.ts';
import { withoutMembers, wrongMembers } from './wrong-members.ts';

/** What a body makes of a record. */
export interface Change {
  /** All values of the record as it would be. */
  readonly values: Values;
  /** Those that the body sets, and those that a replacement sets to their defaults. */
  readonly set: Values;
  /** Whether the body asks for anything but what its client sees. */
  readonly isMore: boolean;
  /** What is wrong with the body by itself, and next to the record as it is. */
  readonly failures: readonly Failure[];
}

export type ChangeReader = (
  work: UnitOfWork,
  how: 'replace' | 'update',
  locked: LockedRecord,
  body: ReadBody | BodyOf,
  client: Client | undefined,
) => Promise<Change>;

export function changeReader(parts: ModelWriting, checks: RecordChecks): ChangeReader {
  const { model, service } = parts;
  const requested = requestedValues(parts);
  const defaultsAt = defaultsOf(model);

  return async (work, how, locked, given, client) => {
    const { record, seen } = locked;
    const body = typeof given === 'function' ? await given(seen) : given;
    const look = parts.lookUpsFor(client?.permissions ?? service);
    const stock = requested.stockIn(body, locked);
    const asked = requested.givenBy(body, seen);
    const failures = [
      ...body.failures,
      ...stock.failures,
      ...changesRefused(stock.repeated, seen),
      ...(await checks.derived(work, record[model.key.member] as never, body.derived, look)),
      ...asked.failures,
    ];
    const defaults = how === 'update' ? {} : clearedByReplace(model, defaultsAt(evaluationOf(work)));
    const all = withoutMembers({ ...asked.values, ...stock.values }, new Set(wrongMembers(failures)));
    const wanted =
      client === undefined ? all : orFailures(failures, () => requested.settable(all, locked, client.permissions));
    const set = { ...defaults, ...wanted };
    const values: Values = {
      ...record,
      ...(client === undefined ? set : requested.keepingHidden(set, wanted, locked)),
    };
    if (client !== undefined) failures.push(...missingBesides(failures, checks.missing(values)));
    // A caller who asks for more than it sees must not learn that the record already has it.
    return { values, set, isMore: client !== undefined && requested.isMore(wanted, seen), failures };
  };
}

/** What is broken comes before what is not allowed. */
function orFailures<Result>(failures: readonly Failure[], work: () => Result): Result {
  try {
    return work();
  } catch (error) {
    if (failures.length > 0 && error instanceof HttpProblem) throw brokenRules(failures);
    throw error;
  }
}

/** Members that are missing, but for those of which something is said already, or of a part of them. */
function missingBesides(said: readonly Failure[], missing: readonly Failure[]): Failure[] {
  const wrong = wrongMembers(said);
  return missing.filter(({ pointer }) => !wrong.includes(stepsOf(pointer)[0] ?? ''));
}
