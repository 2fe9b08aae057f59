import { setImmediate } from 'node:timers/promises';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { openTestService } from '../kit/open-test-service.ts';
import type { TestReply, TestService } from '../kit/open-test-service.ts';
import { kinds, serverDatabases } from '../kit/databases.ts';

const PROJECT = fileURLToPath(new URL('../fixtures/writing', import.meta.url));
const NOBODY = '00000000-0000-7000-8000-000000000000';

const database = serverDatabases();

describe.each(kinds)('writes on %s', (kind) => {
  let on: TestService;
  beforeAll(async () => {
    on = await openTestService(PROJECT, {
      database: await database(kind, 'writes'),
      samples: false,
    });
    await on.ask('POST', '/marks', [{ name: 'steep' }, { name: 'icy' }, { name: 'wide' }]);
  });
  afterAll(() => on.close());

  let made = 0;
  const depot = async (values: object = {}): Promise<string> => {
    const { status, body } = await on.ask('POST', '/depots', { name: `Depot ${(made += 1)}`, sleds: 42, ...values });
    expect(status).toBe(201);
    return body.data.id as string;
  };
  const loan = (depot_id: string, amount: number, more: object = {}): Promise<TestReply> =>
    on.ask('POST', '/loans', { depot_id, amount, ...more });
  const read = async (path: string) => (await on.ask('GET', path)).body.data;
  const sledsOf = async (id: string): Promise<number> => (await read(`/depots/${id}`)).sleds as number;
  const rulesOf = ({ body }: TestReply): string[] =>
    (body.errors as { pointer: string; rule: string }[]).map(({ pointer, rule }) => `${pointer} ${rule}`);

  describe('hooks', () => {
    test.each(['beforeCreate', 'afterCreate', 'beforeUpdate', 'afterUpdate', 'beforeDelete', 'afterDelete'])(
      'one that throws in %s leaves no trace, and says nothing of itself to the client',
      async (stage) => {
        const id = await depot();
        const kept = (await loan(id, 3)).body.data.id as string;
        const doomed = (await loan(id, 3)).body.data.id as string;
        if (stage.endsWith('Delete')) {
          const note = { sql: `UPDATE loans SET note = 'throw ${stage}' WHERE id = '${doomed}'` };
          await on.store.transaction((transaction) => transaction.run(note, []));
        }
        const before = await on.everything();
        const said = on.defects.length;
        const note = `throw ${stage}`;
        const key = { 'idempotency-key': stage };
        const answer = stage.endsWith('Create')
          ? await on.ask('POST', '/loans', { depot_id: id, amount: 4, note }, key)
          : stage.endsWith('Update')
            ? await on.ask('PATCH', `/loans/${kept}`, { amount: 9, note })
            : await on.ask('DELETE', `/loans/${doomed}`);
        expect(answer.status).toBe(500);
        expect(JSON.stringify(answer.body)).not.toContain('inner words');
        expect(on.defects.slice(said)).toEqual([`CodeError: ${stage} of loan: inner words of ${stage}`]);
        expect(await on.everything()).toEqual(before);
      },
    );

    test('may change a draft, whose rules are judged once more', async () => {
      const id = await depot();
      expect((await loan(id, 3, { note: 'more' })).body.data).toMatchObject({ amount: 4 });
      expect(await sledsOf(id)).toBe(38);
      expect(rulesOf(await loan(id, 3, { note: 'wrong' }))).toEqual(['/amount type']);
      const made = (await loan(id, 3)).body.data.id as string;
      expect((await on.ask('PATCH', `/loans/${made}`, { amount: 5, note: 'unchanged' })).body.data).toMatchObject({
        amount: 3,
        note: 'unchanged',
      });
      expect((await on.ask('PATCH', `/loans/${made}`, { amount: 6, note: 'add' })).body.data.note).toBe('was 3');
    });

    test('refuse with the status, rule and place that they name', async () => {
      const { status, body } = await loan(await depot(), 3, { note: 'refuse' });
      expect(status).toBe(403);
      expect(body).toMatchObject({ type: '/problems/refused', detail: 'no sleds on Sundays', status: 403 });
      expect(body.errors).toEqual([{ pointer: '/depot_id', rule: 'sunday', detail: 'no sleds on Sundays' }]);
    });

    test('see what they wrote, and may fail in part', async () => {
      const { status, body } = await loan(await depot(), 1, { note: 'twice' });
      expect([status, body.data.note]).toEqual([201, 'echoes: 1']);
      expect((await on.ask('GET', '/marks/taken')).status).toBe(200);
    });

    test('that call themselves without an end are stopped', async () => {
      const before = await on.everything();
      expect((await loan(await depot(), 1, { note: 'endless' })).status).toBe(500);
      expect(on.defects.at(-1)).toContain('16 deep');
      expect((await on.everything()).loans).toBe(before.loans);
    });

    test('may ask for several writes at once, which fail one by one', async () => {
      // Fulfilled, rejected, fulfilled.
      expect((await loan(await depot(), 1, { note: 'beside' })).body.data.note).toBe('frf');
      expect((await on.ask('GET', '/marks/beside%20b')).status).toBe(200);
    });

    test('that do not await what they ask for are refused, and bring nothing down', async () => {
      const before = await on.everything();
      expect((await loan(await depot(), 1, { note: 'careless' })).status).toBe(500);
      expect(on.defects.at(-1)).toBe(
        'CodeError: beforeCreate of loan: ended before its calls on the scope did: await every one of them',
      );
      expect((await on.everything()).loans).toBe(before.loans);
      expect((await on.ask('GET', '/depots?slug=lost')).body.data).toEqual([]);
    });

    test('are told after a commit, and what fails then undoes nothing', async () => {
      const id = await depot();
      expect((await loan(id, 1, { note: 'tell' })).status).toBe(201);
      expect((await loan(id, 1, { note: 'tell, and fail' })).status).toBe(201);
      expect((await loan(id, 100, { note: 'tell' })).status).toBe(409);
      await on.service.writes.settled();
      const told = await on.ask('GET', '/echoes?of=told%20of%20create&total=true');
      expect(told.body.page.total).toBe(1);
      expect(on.defects.at(-1)).toBe('CodeError: afterCommit of loan: the post office is closed');
    });

    test('have a scope that is dead when the transaction is over', async () => {
      expect((await on.ask('POST', '/depots/escape')).status).toBe(204);
      expect((await on.ask('POST', '/depots/escape')).status).toBe(500);
      expect(on.defects.at(-1)).toContain('this transaction has ended');
      expect((await on.ask('GET', '/echoes?of=beyond%20the%20end')).body.data).toEqual([]);
    });
  });

  describe('draws', () => {
    test('take what is there and no more, and tell what is left', async () => {
      const id = await depot({ name: 'High Depot', sleds: 12 });
      expect((await loan(id, 7)).status).toBe(201);
      const { status, body } = await loan(id, 4);
      expect(status).toBe(409);
      expect(body).toMatchObject({ type: '/problems/not-enough-left' });
      // The minimum of two is never touched.
      const detail = 'only 3 sleds at High Depot, not 4';
      expect(body.errors).toEqual([{ pointer: '/amount', rule: 'draw', detail, available: 3 }]);
      expect(await sledsOf(id)).toBe(5);
      expect(rulesOf(await loan(id, -1))).toEqual(['/amount draw']);
      expect((await loan(id, 0, { wax: '1.001' })).body.errors[0]).toMatchObject({
        pointer: '/wax',
        detail: 'only 1.000 of depot.wax_kg left',
        available: 1,
      });
      expect((await loan(id, 0, { wax: '0.400' })).status).toBe(201);
      expect((await read(`/depots/${id}`)).wax_kg).toBe('0.600');
    });

    test('agree with the stock after any writes, in any order', async () => {
      const step = fc.record({
        what: fc.constantFrom('create', 'many', 'patch', 'replace', 'move', 'back', 'delete'),
        which: fc.nat(5),
        amount: fc.nat(14),
        to: fc.nat(1),
      });
      await fc.assert(
        fc.asyncProperty(fc.array(step, { maxLength: 14 }), async (steps) => {
          const ids = [await depot({ sleds: 30 }), await depot({ sleds: 20 })];
          const loans: string[] = [];
          for (const { what, which, amount, to } of steps) {
            const target = `/loans/${loans[which % Math.max(1, loans.length)] ?? NOBODY}`;
            const whole = { depot_id: ids[to], amount, note: null };
            const answer =
              what === 'create'
                ? await on.ask('POST', '/loans', whole)
                : what === 'many'
                  ? await on.ask('POST', '/loans', [whole, { ...whole, depot_id: ids[1 - to] }])
                  : what === 'patch'
                    ? await on.ask('PATCH', target, { amount })
                    : what === 'replace'
                      ? await on.ask('PUT', target, whole)
                      : what === 'move'
                        ? await on.ask('PATCH', target, { depot_id: amount === 0 ? null : ids[to] })
                        : what === 'back'
                          ? await on.ask('PATCH', target, { back: to === 0 })
                          : await on.ask('DELETE', target);
            expect([200, 201, 204, 404, 409]).toContain(answer.status);
            if (answer.status === 201) loans.push(...[answer.body.data].flat().map(({ id }: { id: string }) => id));
            if (answer.status === 204) loans.splice(loans.indexOf(target.slice('/loans/'.length)), 1);
          }
          for (const [at, id] of ids.entries()) {
            const taken = (await read(`/loans?depot_id=${id}&back=false&limit=100`)) as { amount: number }[];
            const sum = taken.reduce((all, { amount }) => all + amount, 0);
            expect(await sledsOf(id)).toBe([30, 20][at]! - sum);
          }
        }),
        { numRuns: Number(process.env.DRAW_RUNS ?? 12) },
      );
    });

    test('alone change a stock once its record is made', async () => {
      const id = await depot({ sleds: 100 });
      await loan(id, 10);
      const whole = await read(`/depots/${id}`);
      expect((await on.ask('PATCH', `/depots/${id}`, { sleds: 90, note: 'same' })).status).toBe(200);
      const moved = await on.ask('PATCH', `/depots/${id}`, { sleds: 100 });
      expect([moved.status, moved.body.errors[0].rule]).toEqual([412, 'drawn-on']);
      expect((await on.ask('PUT', `/depots/${id}`, { name: 'Put', updated_at: undefined })).body.data.sleds).toBe(90);
      expect((await on.ask('PUT', `/depots/${id}`, whole)).status).toBe(412);
      expect(rulesOf(await on.ask('POST', '/depots', { name: 'Too many', sleds: 101 }))).toEqual(['/sleds maximum']);
      // Given back, it may be more than a client could have set.
      await on.store.transaction((all) => all.run({ sql: `UPDATE depots SET sleds = 98 WHERE id = '${id}'` }, []));
      const [{ id: borrowed }] = await read(`/loans?depot_id=${id}`);
      expect((await on.ask('DELETE', `/loans/${borrowed}`)).status).toBe(204);
      expect(await sledsOf(id)).toBe(108);
    });

    test('give back what goes with a record above, and are journalled', async () => {
      const id = await depot();
      await on.ask(
        'POST',
        '/loans',
        [1, 2, 3].map((amount) => ({ depot_id: id, amount })),
      );
      const gone = await read(`/loans?depot_id=${id}`);
      expect((await on.ask('DELETE', `/depots/${id}`)).status).toBe(204);
      expect(await read(`/loans?depot_id=${id}`)).toEqual([]);
      for (const { id: one } of gone) expect((await read(`/loans/${one}/journal`))[0].action).toBe('delete');
      const lines = (await read(`/depots/${id}/journal`)) as { action: string; changes: { sleds?: object } }[];
      expect(lines.map(({ action }) => action).join()).toBe('delete,update,update,update,update,update,update,create');
      expect(lines[1]!.changes).toEqual({ sleds: { before: expect.any(Number), after: 42 } });
    });
  });

  describe('at once', () => {
    test('sixty who ask for ten sleds get ten, and no more', async () => {
      const id = await depot({ sleds: 12 });
      const answers = await Promise.all(Array.from({ length: 60 }, () => untilHeard(() => loan(id, 1))));
      const statuses = answers.map(({ status }) => status).sort();
      expect(statuses).toEqual([...Array<number>(10).fill(201), ...Array<number>(50).fill(409)]);
      expect(await sledsOf(id)).toBe(2);
    });

    test('no update is lost, and of those that name one state one is done', async () => {
      const id = await depot({ spot: {} });
      await Promise.all(
        ['x', 'y'].flatMap((member) =>
          [1, 2].map((value) => untilHeard(() => on.ask('PATCH', `/depots/${id}`, { spot: { [member]: value } }))),
        ),
      );
      expect((await read(`/depots/${id}`)).spot).toEqual({ x: expect.any(Number), y: expect.any(Number) });
      const etag = (await on.ask('GET', `/depots/${id}`)).headers.etag!;
      const answers = await Promise.all(
        [1, 2, 3, 4].map((n) => on.ask('PATCH', `/depots/${id}`, { note: `n${n}` }, { 'if-match': etag })),
      );
      expect(answers.map(({ status }) => status).sort()).toEqual([200, 412, 412, 412]);
      expect(answers.find(({ status }) => status === 412)!.body.type).toBe('/problems/moved-on');
    });

    test('deadlocks are tried again', async () => {
      const [one, other] = [await depot(), await depot()];
      const swap = (first: string, second: string) =>
        untilHeard(() => on.ask('POST', '/depots/swap', { first, second }));
      const answers = await Promise.all(
        Array.from({ length: 6 }, (_, at) => (at % 2 === 0 ? swap(one, other) : swap(other, one))),
      );
      expect(answers.map(({ status }) => status)).toEqual(Array(6).fill(200));
    });

    test('twenty records of one name have twenty slugs', async () => {
      const name = `Same ${kind}`;
      const answers = await Promise.all(
        Array.from({ length: 20 }, () => untilHeard(() => on.ask('POST', '/depots', { name, sleds: 9 }))),
      );
      const slugs = answers.map(({ body }) => body.data.slug as string).sort();
      const wanted = Array.from({ length: 20 }, (_, at) => (at === 0 ? `same-${kind}` : `same-${kind}-${at + 1}`));
      expect(slugs).toEqual(wanted.sort());
    });

    test('one Idempotency-Key, sent twenty times, makes one record', async () => {
      const body = { name: 'Once', sleds: 9 };
      const key = { 'idempotency-key': '"8e03978e"' };
      const ask = () => on.ask('POST', '/depots', body, key);
      const answers = await Promise.all(Array.from({ length: 20 }, ask));
      const statuses = new Set(answers.map(({ status }) => status));
      expect([...statuses].sort()).toEqual([201, 409]);
      const first = answers.find(({ status }) => status === 201)!;
      const again = await ask();
      expect([again.status, again.body, again.headers.location]).toEqual([201, first.body, first.headers.location]);
      expect((await on.ask('GET', '/depots?name=Once&total=true')).body.page.total).toBe(1);
      const other = await on.ask('POST', '/depots', { ...body, sleds: 8 }, key);
      expect([other.status, other.body.type]).toEqual([422, '/problems/other-request']);
      // Another path, and what was refused, know nothing of it.
      expect((await on.ask('POST', '/marks', { name: 'once' }, key)).status).toBe(201);
      const bad = { 'idempotency-key': 'refused' };
      expect((await on.ask('POST', '/depots', { name: 'Refused' }, bad)).status).toBe(422);
      expect((await on.ask('POST', '/depots', { name: 'Refused', sleds: 9 }, bad)).status).toBe(201);
      expect((await on.ask('POST', '/marks', { name: 'k' }, { 'idempotency-key': '' })).status).toBe(400);
      expect((await on.ask('PATCH', '/marks/icy', {}, key)).status).toBe(400);
    });
  });

  describe('time', () => {
    test('that runs out rolls everything back, and the next writer is served', async () => {
      const id = await depot();
      const slow = await on.ask('POST', `/depots/${id}/wait`, { ms: 20_000 });
      expect([slow.status, slow.body.type, slow.headers['retry-after']]).toEqual([503, '/problems/time-ran-out', '1']);
      expect((await read(`/depots/${id}`)).note).toBeNull();
      expect((await on.ask('POST', `/depots/${id}/wait`, { ms: 1 })).body.data.note).toBe('waited 1');
    });

    test('of an operation that reads is that of a read', async () => {
      const slow = await on.ask('GET', `/depots/${await depot()}/stock?more=98`);
      expect([slow.status, slow.body.type]).toEqual([503, '/problems/time-ran-out']);
    });

    test('reads pass writers by, and no more of them wait than may', async () => {
      const id = await depot();
      const slow = Array.from({ length: 6 }, () => on.ask('POST', `/depots/${id}/wait`, { ms: 150 }));
      expect(await sledsOf(id)).toBe(42);
      const statuses = (await Promise.all(slow)).map(({ status, body }) => (status === 200 ? 200 : body.type));
      const crowded = statuses.filter((one) => one === '/problems/too-busy');
      expect(crowded).toHaveLength(kind === 'sqlite' ? 2 : 0);
      expect(statuses.filter((one) => one === 200)).toHaveLength(6 - crowded.length);
    });
  });

  /** A writer who comes back when there was no room. */
  async function untilHeard(ask: () => Promise<TestReply>): Promise<TestReply> {
    for (;;) {
      const answer = await ask();
      if (answer.status !== 503) return answer;
      await setImmediate();
    }
  }
});
