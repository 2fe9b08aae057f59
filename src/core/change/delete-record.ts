import type { Failure } from '../api/failure.ts';
import { HttpProblem } from '../api/problems.ts';
import type { Scalar } from '../model/scalar.ts';
import { spoken } from '../text/names.ts';
import { cascadeOf } from './cascade.ts';
import type { Changes } from './contract.ts';
import type { Share } from './draws.ts';
import type { FinishWrite } from './finish-write.ts';
import type { ModelWriting } from './model-writing.ts';
import { asProblem } from './refusals.ts';
import { evaluationOf } from './unit-of-work.ts';
import type { UnitOfWork } from './unit-of-work.ts';
import { lockedRecord } from './update-record.ts';

/** Deletes records: with their cascade, and one alone. */
export function recordDeleter(parts: ModelWriting, finish: FinishWrite): Pick<Changes, 'delete' | 'remove'> {
  const { model, writing, statements, draws, hookRunner, bind } = parts;
  const cascade = cascadeOf(model, writing);
  const noShares = draws.draws.map((): Share => ({ key: null, amount: 0n }));

  /** Names and counts referring records that the caller may know of; of others it says only that there are some. */
  async function refuseReferred(work: UnitOfWork, key: Scalar): Promise<void> {
    const failures: Failure[] = [];
    let hidden = false;
    for (const { model: other, relation, count } of parts.lookUpsFor(work.permissions).referrers) {
      const row = await work.transaction.first(count, [bind(model.key, key), ...count.values(evaluationOf(work))]);
      const [all, number] = [Number(row?.[0] ?? 0), Number(row?.[1] ?? 0)];
      hidden ||= all > number;
      if (number === 0) continue;
      const referring = number === 1 ? `1 ${spoken(other.name)} refers` : `${number} ${spoken(other.plural)} refer`;
      failures.push({ pointer: '', rule: 'restrict', detail: `${referring} to it as ${relation.name}` });
    }
    if (failures.length === 0 && !hidden) return;
    throw new HttpProblem('still-referred-to', undefined, failures.length > 0 ? { errors: failures } : {});
  }

  const remove: Changes['remove'] = async (work, key, record) => {
    await hookRunner.run('beforeDelete', work, record);
    await refuseReferred(work, key);
    await draws.move(work, draws.sharesOf(record, evaluationOf(work)), noShares);
    await asProblem(writing.graph, 'delete', work.transaction.run(statements.delete, [bind(model.key, key)]));
    await finish.deleted(work, key, record);
  };

  return {
    remove,
    async delete(work, key, client) {
      const record =
        client === undefined
          ? await lockedRecord(parts, work, key)
          : (await parts.writePermissionsFor(client.permissions).lockForWrite(work, key, 'delete', client.guard))
              .record;
      if (!(await cascade.delete(work, key))) await remove(work, key, record);
    },
  };
}
