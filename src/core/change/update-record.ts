import { brokenRules, HttpProblem } from '../api/problems.ts';
import type { Field } from '../model/field.ts';
import { storedValue } from '../model/joined-key.ts';
import type { Scalar } from '../model/scalar.ts';
import { restamp } from '../model/stamps.ts';
import { isSame } from '../model/value.ts';
import type { Values } from '../rules/schema.ts';
import type { Row } from '../sql/statement.ts';
import type { Changes, LockedRecord } from './contract.ts';
import type { WriteSteps } from './create-record.ts';
import type { ModelWriting } from './model-writing.ts';
import { asProblem } from './refusals.ts';
import { evaluationOf } from './unit-of-work.ts';
import type { UnitOfWork } from './unit-of-work.ts';

/** Changes a record: an update sets what its body names, a replacement everything that a client could have given. */
export function recordUpdater(parts: ModelWriting, steps: WriteSteps): Changes['change'] {
  const { model, writing, statements, links, draws, hookRunner, service, bind } = parts;
  const { checks, readChange, moveStock, finish, hashSecrets } = steps;
  const fieldsChanged = (values: Values, record: Values): readonly Field[] =>
    model.fields.filter(({ member }) => !isSame(values[member], record[member]));

  /**
   * Runs the hook over the pending changes, and adds the values that it set to the record. True if there are any.
   */
  async function runHook(work: UnitOfWork, values: Values, record: Values): Promise<boolean> {
    const members = [
      ...fieldsChanged(values, record).map(({ member }) => member),
      ...(links.isSame(values, record) ? [] : links.members),
    ];
    const draft = Object.fromEntries(members.map((member) => [member, values[member] ?? null]));
    const set = await hookRunner.draft('beforeUpdate', work, draft, record);
    if (set[model.key.member] !== undefined) throw new Error(`beforeUpdate of ${model.name} changed a key`);
    const back = Object.entries(set).map(
      ([member, value]) => [member, value === undefined ? (record[member] ?? null) : value] as const,
    );
    Object.assign(values, await hashSecrets(Object.fromEntries(back)));
    return back.length > 0;
  }

  return async (work, how, key, given, client) => {
    const permissions = client?.permissions;
    const may = permissions && parts.writePermissionsFor(permissions);
    const look = parts.lookUpsFor(permissions ?? service);
    const locked =
      client === undefined
        ? wholly(await lockedRecord(parts, work, key))
        : await may!.lockForWrite(work, key, how, client.guard);
    const { record, seen } = locked;
    const now = work.now();
    const { values, set, isMore, failures } = await readChange(work, how, locked, given, client);
    if (failures.length > 0) throw brokenRules(failures);
    const isUnchanged = fieldsChanged(values, record).length === 0 && links.isSame(values, record);
    if (isUnchanged && !isMore) return { key };
    await checks.draft(work, values, seen, look, client === undefined ? values : set);
    links.arrange(values);
    await may?.authorizeOwner(work, how, values, record);
    await may?.authorizeDraft(work, how, values);
    if (hookRunner.has('beforeUpdate') && (await runHook(work, values, record))) {
      await checks.draft(work, values, record, parts.lookUpsFor(service));
      await may?.authorizeDraft(work, how, values);
    }
    restamp(model, values, record, now);
    const update = (): Promise<Row | undefined> =>
      work.transaction.first(statements.update, [
        ...statements.updated.map((field) => bind(field, storedValue(values, field))),
        bind(model.key, key),
      ]);
    await moveStock(work, draws.sharesOf(record, evaluationOf(work)), values, update);
    const row = await asProblem(writing.graph, 'write', update());
    return finish.written(work, row!, record, values, how, permissions);
  };
}

/** A record for the service itself, locked until the transaction ends; 404 where there is none. */
export async function lockedRecord(
  { model, statements, bind }: ModelWriting,
  { transaction }: UnitOfWork,
  key: Scalar,
): Promise<Values> {
  const row = await transaction.first(statements.readLocked, [bind(model.key, key)]);
  if (row === undefined) throw new HttpProblem('not-found');
  return JSON.parse(row[0] as string) as Values;
}

/** A record as the service itself has it. */
const wholly = (record: Values): LockedRecord => ({ record, seen: record, sets: () => true });
