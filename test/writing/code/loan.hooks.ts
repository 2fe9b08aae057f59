import { hooks } from 'vantfell';

/** Leaves a record behind, and then throws where the note says so. */
async function at(
  stage: string,
  note: unknown,
  scope: { model(name: string): { create(values: object): Promise<unknown> } },
) {
  if (typeof note !== 'string' || !note.startsWith('throw')) return;
  await scope.model('echo').create({ of: stage });
  if (note === `throw ${stage}`) throw new Error(`inner words of ${stage}`);
}

export default hooks('loan', {
  async beforeCreate(draft, scope) {
    await at('beforeCreate', draft.note, scope);
    if (draft.note === 'beside') {
      // The second fails, the others stay.
      const names = ['beside a', 'icy', 'beside b'];
      const made = await Promise.allSettled(names.map((name) => scope.model('mark').create({ name })));
      draft.note = made.map(({ status }) => status[0]).join('');
    }
    if (draft.note === 'careless') void scope.model('depot').create({ name: 'Lost', sleds: 3 });
    if (draft.note === 'more') draft.amount += 1;
    if (draft.note === 'wrong') draft.amount = 'many' as never;
    if (draft.note === 'refuse')
      scope.refuse('no sleds on Sundays', { status: 403, rule: 'sunday', pointer: '/depot_id' });
    if (draft.note === 'endless') await scope.model('loan').create({ amount: 0, note: 'endless' });
    if (draft.note === 'twice') {
      // What it wrote is seen by what it reads; a part that fails leaves the rest as it was.
      const before = await scope.model('echo').count();
      await scope.model('echo').create({ of: 'one' });
      await scope
        .model('mark')
        .create({ name: 'taken' })
        .catch(() => undefined);
      await scope
        .model('mark')
        .create({ name: 'taken' })
        .catch(() => undefined);
      draft.note = `echoes: ${(await scope.model('echo').count()) - before}`;
    }
  },
  afterCreate: (record, scope) => at('afterCreate', record.note, scope),
  async beforeUpdate(change, record, scope) {
    await at('beforeUpdate', change.note ?? record.note, scope);
    if (change.note === 'unchanged') delete change.amount;
  },
  async afterUpdate(record, before, scope) {
    await at('afterUpdate', record.note, scope);
    if (record.note === 'add') await scope.model('loan').update(record.id, { note: `was ${before.amount}` });
  },
  beforeDelete: (record, scope) => at('beforeDelete', record.note, scope),
  afterDelete: (record, scope) => at('afterDelete', record.note, scope),
  async afterCommit({ kind, record }, scope) {
    if (record.note === 'tell') await scope.model('echo').create({ of: `told of ${kind}` });
    if (record.note === 'tell, and fail') throw new Error('the post office is closed');
  },
});
