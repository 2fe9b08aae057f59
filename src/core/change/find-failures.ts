import { stepsOf } from '../api/failure.ts';
import type { Failure } from '../api/failure.ts';
import { HttpProblem } from '../api/problems.ts';
import type { Model } from '../model/model.ts';
import { linkedOf } from '../model/related.ts';
import type { FieldValue, Scalar } from '../model/scalar.ts';
import type { Values } from '../rules/schema.ts';
import type { Batch, Changes } from './contract.ts';
import type { WriteSteps } from './create-record.ts';
import { defaultsOf } from './defaults.ts';
import type { Made } from './made-defaults.ts';
import type { ModelWriting } from './model-writing.ts';
import { withoutAbsent } from './requested-values.ts';
import { takenFailure, takenFinder, uniqueSets } from './taken.ts';
import { evaluationOf } from './unit-of-work.ts';
import type { UnitOfWork } from './unit-of-work.ts';
import { withoutMembers, wrongMembers } from './wrong-members.ts';

/** A record as it would be, and what is known of it. */
interface Draft {
  readonly values: Values;
  /** What the client gives it. */
  readonly given: Values;
  /** As the client sees it now; nothing of a new record. */
  readonly seen: Values;
  /** That of a stored record. */
  readonly key: Scalar | undefined;
  readonly batch: Batch | undefined;
}

/**
 * Finds all that is wrong with a body once something is: a write that succeeds pays nothing for it. Rules that need a
 * member of which something is wrong are left out. That a value is taken, and rules along relations, are told to those
 * only who may write such a record.
 */
export function failureFinder(
  parts: ModelWriting,
  { checks, made, readChange }: WriteSteps,
): Pick<Changes, 'failuresOfNew' | 'failuresOfChange'> {
  const { model, writing } = parts;
  const defaultsAt = defaultsOf(model);
  const findTaken = takenFinder(model, writing.dialect);
  const secrets = model.fields.filter(({ type }) => type === 'secret').map(({ member }) => member);
  const makeDefaults = defaultsMaker(parts, { checks, made }, secrets);

  async function all(
    work: UnitOfWork,
    draft: Draft,
    known: readonly Failure[],
    mayWrite: (usable: Values) => Promise<boolean>,
    left: ReadonlySet<string> = NONE,
  ): Promise<readonly Failure[]> {
    // Nothing more can be said of what is no record.
    if (known.some(({ pointer, rule }) => pointer === '' && NO_RECORD.has(rule))) return known;
    const failures = [...known];
    const unknown = new Set([...secrets, ...left, ...wrongMembers(known)]);
    const add = (more: readonly Failure[]): void => {
      failures.push(...besides(more, failures));
      for (const member of wrongMembers(more)) unknown.add(member);
    };
    const without = (values: Values): Values => withoutMembers(values, unknown);
    const { seen, key, batch } = draft;
    const look = parts.lookUpsFor(work.permissions);
    const [values, given] = [without(draft.values), without(draft.given)];
    const broken = await checks.draftFailures(work, values, seen, look, given, unknown);
    add(broken.filter((failure) => !isMadeWith(model, failure, given, batch)));
    const usable = without(values);
    if (await mayWrite(usable)) {
      const found = await findTaken(work, usable, key, unknown);
      found.push(...(await checks.onwardFailures(work, usable, unknown)));
      add(found);
    }
    if (batch !== undefined) add(repeatedIn(model, batch, without(draft.values)));
    return failures;
  }

  return {
    async failuresOfNew(work, given, known, permissions, batch) {
      const may = parts.writePermissionsFor(permissions);
      const defaults = defaultsAt(evaluationOf(work));
      const values: Values = { ...defaults, ...withoutAbsent(given) };
      const { failures, left } = await makeDefaults(work, values, given, known);
      const draft: Draft = { values, given: values, seen: {}, key: undefined, batch };
      const mayWrite = (usable: Values): Promise<boolean> =>
        isAllowed(async () => {
          await may.authorizeOwner(work, 'create', usable, {});
          const kept = Object.entries(withoutAbsent(given)).filter(([member]) => Object.hasOwn(usable, member));
          await may.authorizeGiven(work, Object.fromEntries(kept), usable, defaults);
          return may.mayDraft(work, 'create', usable);
        });
      return all(work, draft, [...known, ...besides(failures, known)], mayWrite, left);
    },

    async failuresOfChange(work, how, key, body, known, client) {
      const may = parts.writePermissionsFor(client.permissions);
      const locked = await may.lockForWrite(work, key, how, client.guard);
      const { values, set, failures } = await readChange(work, how, locked, body, client);
      const { record, seen } = locked;
      const draft: Draft = { values, given: set, seen, key, batch: undefined };
      return all(work, draft, [...failures, ...besides(known, failures)], (usable) =>
        isAllowed(async () => {
          await may.authorizeOwner(work, how, { ...record, ...usable }, record);
          return may.mayDraft(work, how, usable);
        }),
      );
    },
  };
}

/** Works out what is made from other values, where nothing is wrong with them. */
function defaultsMaker(
  parts: ModelWriting,
  { checks, made }: Pick<WriteSteps, 'checks' | 'made'>,
  secrets: readonly string[],
) {
  return async (work: UnitOfWork, values: Values, given: Values, known: readonly Failure[]): Promise<Made> => {
    if (made.open(given).size === 0) return { failures: [], left: NONE };
    const unknown = new Set([...secrets, ...wrongMembers(known)]);
    const look = parts.lookUpsFor(work.permissions);
    const missing = await checks.unknownRecords(work, withoutMembers(values, unknown), {}, look);
    return made.fill(work, values, given, new Set([...unknown, ...wrongMembers(missing)]));
  };
}

const NONE: ReadonlySet<string> = new Set();
const NO_RECORD: ReadonlySet<string> = new Set(['type', 'minItems', 'maxItems']);

const isSameFailure = (one: Failure, other: Failure): boolean =>
  one.pointer === other.pointer && one.rule === other.rule && (one.rule !== 'check' || one.detail === other.detail);

/** Those of some failures that are not said yet. */
const besides = (some: readonly Failure[], said: readonly Failure[]): Failure[] =>
  some.filter((one) => !said.some((other) => isSameFailure(one, other)));

async function isAllowed(judge: () => Promise<boolean>): Promise<boolean> {
  try {
    return await judge();
  } catch (error) {
    if (error instanceof HttpProblem) return false;
    throw error;
  }
}

const textOf = (members: readonly string[], values: readonly unknown[]): string => JSON.stringify([members, values]);

/** Whether it is about a record that is made in the same request. */
function isMadeWith(model: Model, { rule, pointer }: Failure, given: Values, batch: Batch | undefined): boolean {
  if (batch === undefined || rule !== 'unknown-record') return false;
  const [member = '', at] = stepsOf(pointer);
  const target =
    model.relations.find(({ field }) => field.member === member)?.target ??
    linkedOf(model).find((links) => links.member === member)?.target;
  const value = at === undefined ? given[member] : (given[member] as readonly FieldValue[])[Number(at)];
  return target === model.name && batch.has(textOf([model.key.member], [value]));
}

/** Notes the unique values of one of many records; failures for those that an earlier one has. */
function repeatedIn(model: Model, batch: Batch, values: Values): Failure[] {
  return uniqueSets(model).flatMap((fields) => {
    const members = fields.map(({ member }) => member);
    const own = members.map((member) => values[member] ?? null);
    if (own.includes(null)) return [];
    const text = textOf(members, own);
    if (batch.has(text)) return [takenFailure(model, fields)];
    batch.add(text);
    return [];
  });
}
