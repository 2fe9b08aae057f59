import type { Model } from '../model/model.ts';
import { recordChecks } from './check-record.ts';
import type { Changes, Writing } from './contract.ts';
import { recordCreator } from './create-record.ts';
import { recordDeleter } from './delete-record.ts';
import { failureFinder } from './find-failures.ts';
import { writeFinisher } from './finish-write.ts';
import { madeDefaults } from './made-defaults.ts';
import type { HookName } from './hooks.ts';
import { makeModelWriting } from './model-writing.ts';
import { stockMover } from './move-stock.ts';
import { changeReader } from './read-change.ts';
import { secretRules } from './secret-rules.ts';
import { secretHasher } from './secrets.ts';
import { evaluationOf } from './unit-of-work.ts';
import { lockedRecord, recordUpdater } from './update-record.ts';

/** Hooks that run while a record is made or changed. */
const WITHIN: readonly HookName[] = ['beforeCreate', 'afterCreate', 'beforeUpdate', 'afterUpdate'];

/** The writes of one model. */
export function makeChanges(model: Model, writing: Writing): Changes {
  const parts = makeModelWriting(model, writing);
  const secrets = secretHasher(parts);
  const checks = recordChecks(parts);
  const finish = writeFinisher(parts, checks);
  const readChange = changeReader(parts, checks);
  const [made, moveStock] = [madeDefaults(parts), stockMover(parts)];
  const steps = { checks, made, readChange, moveStock, finish, hashSecrets: secrets.hashSecrets };
  return {
    ...secrets,
    secretFailures: secretRules(writing.graph, model),
    isBrief: !WITHIN.some((name) => parts.hookRunner.has(name)) && !model.fields.some(({ type }) => type === 'secret'),
    create: recordCreator(parts, steps),
    change: recordUpdater(parts, steps),
    ...recordDeleter(parts, finish),
    ...failureFinder(parts, steps),

    lock: (work, key) => lockedRecord(parts, work, key),

    lockForWrite: (work, key, act, { permissions, guard }) =>
      parts.writePermissionsFor(permissions).lockForWrite(work, key, act, guard),

    async shown(work, key, permissions = parts.service) {
      const { readProjection } = parts.lookUpsFor(permissions);
      const row = await work.transaction.first(readProjection, [
        parts.bind(model.key, key),
        ...readProjection.values(evaluationOf(work)),
      ]);
      return row && { shown: row[0] as string, stored: (row[1] as string | undefined) ?? undefined };
    },
  };
}
