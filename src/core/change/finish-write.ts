import type { Act } from '../access/condition.ts';
import { tokenIsOver } from '../access/authorization.ts';
import type { Permissions } from '../access/permissions.ts';
import { modelOf } from '../model/graph.ts';
import type { Scalar } from '../model/scalar.ts';
import type { Values } from '../rules/schema.ts';
import type { Row } from '../sql/statement.ts';
import type { RecordChecks } from './check-record.ts';
import type { Written } from './contract.ts';
import { forCode } from './for-code.ts';
import { changesIn, hasLives } from './journal.ts';
import type { ModelWriting } from './model-writing.ts';
import type { UnitOfWork } from './unit-of-work.ts';

/** The steps after the row of a record is written or deleted: links, checks, hooks, tokens, journal, events. */
export interface FinishWrite {
  /** `before` is undefined for a new record; without `permissions` it is the service itself that writes. */
  written(
    work: UnitOfWork,
    row: Row,
    before: Values | undefined,
    values: Values,
    act: Act,
    permissions: Permissions | undefined,
    isNoted?: boolean,
  ): Promise<Written>;
  deleted(work: UnitOfWork, key: Scalar, record: Values): Promise<void>;
  /**
   * Writes the line of the journal of a new record whose key is known, before its row is: then `written` adds none.
   * Undefined where it can not.
   */
  noteAhead(work: UnitOfWork, values: Values): Promise<void> | undefined;
}

export function writeFinisher(parts: ModelWriting, checks: RecordChecks): FinishWrite {
  const { model, writing, statements, links, hookRunner, service } = parts;
  const { identity } = writing.graph;
  const isCaller = identity?.model === model.name;
  const { note, collects } = noteTaker(parts, isCaller);
  // A stock has its line before what draws on it.
  const drawsOnNoted = model.draws.some(({ from }) => modelOf(writing.graph, from).journal);
  const mayGoAhead = model.journal && !collects && !hasLives(model) && !drawsOnNoted;

  /**
   * Ends the tokens of a caller whose secret has changed, or whose record is gone. Of two requests that change their
   * sender's record at once, the second has a token that the first may have ended since it was looked at.
   */
  async function endTokens(
    work: UnitOfWork,
    key: Scalar,
    before: Values | undefined,
    after: Values | undefined,
  ): Promise<void> {
    if (!isCaller || before === undefined) return;
    const { caller, mark } = work;
    if (mark !== undefined && String(caller?.key) === String(key)) {
      if (!(await writing.credentials.isGood(work.transaction, key, mark))) throw tokenIsOver();
    }
    work.callersChanged.value = true;
    if (after === undefined) return writing.credentials.erase(work.transaction, key);
    const secret = identity.secret?.member;
    if (secret === undefined || after[secret] === before[secret]) return;
    await writing.credentials.forget(work.transaction, key);
  }

  return {
    async written(work, [given, shown, stored], before, values, act, permissions, isNoted = false) {
      const key = given as Scalar;
      const record = { ...values, [model.key.member]: key };
      if (links.members.length > 0) await links.write(work.transaction, key, record, before ?? {});
      await checks.stored(work, key);
      if (permissions !== undefined) await parts.writePermissionsFor(permissions).authorizeStored(work, act, key);
      const hook = before === undefined ? 'afterCreate' : 'afterUpdate';
      await hookRunner.run(hook, work, record, ...(before === undefined ? [] : [before]));
      await endTokens(work, key, before, record);
      if (!isNoted) note(work, key, before, record);
      const { seesAll } = parts.lookUpsFor(permissions ?? service);
      const isKnown = statements.returnsAll && seesAll && !hookRunner.has(hook);
      const texts = { shown: shown as string, stored: (stored as string | null) ?? undefined };
      return { key, ...(isKnown ? { texts } : {}) };
    },

    noteAhead(work, values) {
      const key = (values[model.key.member] ?? null) as Scalar;
      // What was noted before has its lines before.
      if (key === null || !mayGoAhead || work.entries.length > 0) return undefined;
      note(work, key, undefined, values);
      return writing.journal.write(work);
    },

    async deleted(work, key, record) {
      await endTokens(work, key, record, undefined);
      await hookRunner.run('afterDelete', work, record);
      note(work, key, record, undefined);
    },
  };
}

/** Notes what was written, for the journal, for hooks after the commit, and for letters to new addresses. */
function noteTaker({ model, writing, hookRunner }: ModelWriting, isCaller: boolean) {
  const changesBetween = changesIn(model);
  const collects = hookRunner.has('afterCommit');
  const { codes } = writing.graph.identity ?? {};
  const address = isCaller && codes?.verify !== undefined ? codes.to.member : undefined;
  function note(work: UnitOfWork, key: Scalar, before: Values | undefined, after: Values | undefined): void {
    const action = before === undefined ? 'create' : after === undefined ? 'delete' : 'update';
    if (model.journal) {
      const changes = changesBetween(before, after);
      work.entries.push({ model: model.name, key, at: work.now(), action, changes });
    }
    if (address !== undefined && after !== undefined && (after[address] ?? null) !== (before?.[address] ?? null))
      work.newAddresses.push(key);
    if (!collects) return;
    const record = forCode(model, (after ?? before)!);
    const isChange = before !== undefined && after !== undefined;
    work.events.push({
      kind: action,
      model: model.name,
      key,
      record,
      ...(isChange ? { before: forCode(model, before) } : {}),
    });
  }
  return { note, collects };
}
