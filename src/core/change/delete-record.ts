import type { Failure } from '../api/failure.ts';
import { HttpProblem } from '../api/problems.ts';
import type { Model } from '../model/model.ts';
import type { Relation } from '../model/relation.ts';
import type { Scalar } from '../model/scalar.ts';
import { spoken } from '../text/names.ts';
import { quoted } from '../text/value.ts';
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
    const id = bind(model.key, key);
    const evaluation = evaluationOf(work);
    for (const { model: other, relation, count, labels } of parts.lookUpsFor(work.permissions).referrers) {
      const row = await work.transaction.first(count, [id, ...count.values(evaluation)]);
      const [all, number] = [Number(row?.[0] ?? 0), Number(row?.[1] ?? 0)];
      hidden ||= all > number;
      if (number === 0) continue;
      const named = await work.transaction.all(labels, [id, ...labels.values(evaluation)]);
      const texts = named.map(([values]) => labels.write(values));
      failures.push({ pointer: '', rule: 'restrict', detail: referring(other, relation, number, texts) });
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

/** `5 stays refer to it as night, such as "A", "B" and "C"`. */
function referring(other: Model, { name }: Relation, number: number, labels: readonly string[]): string {
  const what = number === 1 ? `1 ${spoken(other.name)} refers` : `${number} ${spoken(other.plural)} refer`;
  const [last = '', ...rest] = labels.map(quoted).reverse();
  const named = rest.length === 0 ? last : `${rest.reverse().join(', ')} and ${last}`;
  return `${what} to it as ${name}${number > labels.length ? ', such as ' : ': '}${named}`;
}
