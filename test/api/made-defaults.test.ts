// Defaults that are worked out from other values, and from records that the caller may or may not read.
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import type { TestService } from '../kit/open-test-service.ts';
import { kinds, serverDatabases } from '../kit/databases.ts';
import { signUp } from '../kit/signed-up.ts';
import type { SignedUp } from '../kit/signed-up.ts';

const MODELS = `
model: member
fields:
  name: { type: string, required: true, unique: true }
  word: { type: secret, required: true, minLength: 8 }
may: { read: signed-in, create: anybody, update: owner }
---
model: tool
owner: keeper
fields:
  name: { type: string, required: true }
  price: { type: decimal, required: true }
  closed: { type: boolean, default: false }
relations: { keeper: { to: member, required: true }, loans: { from: loan.tool } }
may: { read: [owner, { where: closed = FALSE }], create: signed-in, update: owner }
---
model: loan
owner: borrower
fields:
  from_on: { type: date, required: true }
  back_on: { type: date, required: true, default: { expr: "add(from_on, 'P1M')" } }
  price: { type: decimal, readOnly: true, reveals: true, default: { expr: tool.price } }
  deposit: { type: decimal, minimum: 0, maximum: 1000, reveals: true, default: { expr: price * 3 } }
  nth: { type: integer, readOnly: true, reveals: true, default: { expr: 'count(tool.loans, tool.loans.from_on <= from_on) + 1' } }
  note: { type: string, maxLength: 5 }
  slug: { type: string, maxLength: 20, unique: true, reveals: true, from: slug(tool.name) }
relations: { tool: { to: tool, required: true }, borrower: { to: member, required: true } }
rules:
  - { check: price <= 500, message: too dear, at: tool_id }
  - { check: back_on > from_on, message: must be later, at: back_on }
may: { read: owner, create: signed-in, update: owner }
`;

const database = serverDatabases();

describe.each(kinds)('defaults from other values, on %s', (kind) => {
  let on: TestService;
  let ask: SignedUp['ask'];
  beforeAll(async () => {
    ({ on, ask } = await signUp(MODELS, ['ada', 'bo'], await database(kind, 'made')));
  });
  afterAll(() => on.close());

  const tool = async (who: string, price: string, closed = false): Promise<string> =>
    (await ask(who, 'POST', '/tools', { name: 'Saw', price, closed })).body.data.id;
  const borrow = (who: string, tool_id: unknown, more: object = {}) =>
    ask(who, 'POST', '/loans', { tool_id, from_on: '2024-01-31', ...more });
  const told = ({ body }: { body: { errors?: { pointer: string; rule: string }[] } }): string[] =>
    (body.errors ?? []).map(({ pointer, rule }) => `${pointer} ${rule}`).sort();

  test('they build on each other, are rounded and checked like given values, and are kept', async () => {
    const saw = await tool('ada', '12.35');
    const { status, body } = await borrow('bo', saw);
    expect([status, body.data]).toMatchObject([
      201,
      { back_on: '2024-02-29', price: '12.35', deposit: '37.05', nth: 1 },
    ]);
    expect((await borrow('bo', saw, { deposit: '1.00', back_on: '2024-02-01' })).body.data).toMatchObject({
      back_on: '2024-02-01',
      deposit: '1.00',
      nth: 2,
    });
    expect((await borrow('bo', saw, { deposit: null })).body.data).toMatchObject({ deposit: null, price: '12.35' });
    const at = `/loans/${body.data.id}`;
    expect((await ask('ada', 'PATCH', `/tools/${saw}`, { price: '99.00' })).status).toBe(200);
    const put = await ask('bo', 'PUT', at, { tool_id: saw, from_on: '2024-01-30', back_on: '2024-03-01' });
    expect(put.body.data).toMatchObject({ price: '12.35', deposit: '37.05', back_on: '2024-03-01', nth: 1 });
    expect(told(await ask('bo', 'PATCH', at, { price: '1.00' }))).toEqual(['/price readOnly']);
  });

  test('what comes of them may break a rule of their field, and of the record', async () => {
    const dear = await tool('ada', '400.00');
    expect(told(await borrow('bo', dear))).toEqual(['/deposit maximum']);
    expect((await borrow('bo', dear, { deposit: '7.00' })).status).toBe(201);
    expect(told(await borrow('bo', await tool('ada', '501.00'), { note: 'too long', deposit: '7.00' }))).toEqual([
      '/note maxLength',
      '/tool_id check',
    ]);
    expect(told(await borrow('bo', dear, { deposit: '7.00', from_on: '9999-12-31' }))).toEqual(['/back_on required']);
    expect(told(await borrow('bo', dear, { from_on: null, note: 1 }))).toEqual([
      '/deposit maximum',
      '/from_on required',
      '/note type',
    ]);
  });

  test('nothing is worked out along a relation to a record that they may not read', async () => {
    const [hidden, none] = [await tool('ada', '900.00', true), '00000000-0000-4000-8000-000000000000'];
    for (const more of [{}, { note: 'too long' }, { deposit: '7.00', note: 5 }, { from_on: 'x' }]) {
      const [one, other] = [await borrow('bo', hidden, more), await borrow('bo', none, more)];
      expect([one.status, told(one)]).toEqual([422, told(other)]);
      expect(told(one)).toContain('/tool_id unknown-record');
      expect(told(one).join()).not.toMatch(/check|deposit|price/);
      // But for the key that was sent, whose digits are chance.
      expect(JSON.stringify(one.body.errors).replaceAll(hidden, 'the tool')).not.toContain('900');
    }
    expect(told(await borrow('ada', hidden, { deposit: '1.00' }))).toEqual(['/tool_id check']);
  });

  test('a slug of a related record’s text: with a number where it is taken, by several at once too', async () => {
    const tool_id = (await ask('ada', 'POST', '/tools', { name: 'Große Säge für Äste', price: '1' })).body.data.id;
    const all = await Promise.all(Array.from({ length: 12 }, () => borrow('bo', tool_id)));
    const slugs = all.map(({ body }) => body.data.slug as string);
    const wanted = ['grosse-sage-fur-aste', ...Array.from({ length: 11 }, (_one, at) => `-${at + 2}`)];
    expect(slugs.sort()).toEqual(
      wanted.map((end) => (end.startsWith('-') ? 'grosse-sage-fur-aste'.slice(0, 20 - end.length) + end : end)).sort(),
    );
    expect((await borrow('bo', tool_id, { slug: 'my-own' })).body.data.slug).toBe('my-own');
    const { id, slug } = (await borrow('bo', tool_id, { slug: null })).body.data;
    expect(slug).toBe('grosse-sage-fur-a-13');
    await ask('ada', 'PATCH', `/tools/${tool_id}`, { name: 'Axe' });
    const put = await ask('bo', 'PUT', `/loans/${id}`, { tool_id, from_on: '2024-01-30', back_on: '2024-03-01' });
    expect([put.status, put.body.data.slug]).toEqual([200, slug]);
    expect((await borrow('bo', tool_id)).body.data.slug).toBe('axe');
  });

  test('many at once: each has its own', async () => {
    const [one, two] = [await tool('ada', '1.00'), await tool('ada', '2.00')];
    const { status, body } = await ask('bo', 'POST', '/loans', [
      { tool_id: one, from_on: '2024-01-31' },
      { tool_id: two, from_on: '2024-01-31' },
      { tool_id: one, from_on: '2024-03-31' },
    ]);
    expect(status).toBe(201);
    const shown = (body.data as { price: string; nth: number; back_on: string }[]).map(({ price, nth, back_on }) => [
      price,
      nth,
      back_on,
    ]);
    expect(shown).toEqual([
      ['1.00', 1, '2024-02-29'],
      ['2.00', 1, '2024-02-29'],
      ['1.00', 2, '2024-04-30'],
    ]);
  });
});
