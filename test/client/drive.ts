// Goes through every endpoint of the demo with its exported client, and tells which it has asked. Types are a part of
// it: it is compiled strictly, and what must not compile is marked.
import { client, etagOf, Problem } from './client.ts';
import type { Client, Hut, Page } from './client.ts';

const [, , url = ''] = process.argv;
const asked: string[] = [];
let failures = 0;

/** Tells of each request; every tenth is lost on its way, so that what can be sent again is. */
const telling = async (target: string, init: RequestInit): Promise<Response> => {
  asked.push(`${init.method} ${target.slice(url.length).split('?')[0]}`);
  const canBeSentAgain = init.method !== 'PATCH' && !target.endsWith('/tokens');
  if (canBeSentAgain && (failures += 1) % 10 === 0) throw new TypeError('the connection was lost');
  return fetch(target, init);
};

function check(holds: boolean, what: string): void {
  if (!holds) throw new Error(what);
}

async function refused(work: Promise<unknown>, status: number, kind: string): Promise<Problem> {
  const error: unknown = await work.then(
    () => undefined,
    (reason: unknown) => reason,
  );
  if (!(error instanceof Problem)) throw new Error(`no problem: ${String(error)}`);
  check(error.status === status && error.kind === kind, `${error.status} ${error.kind}: ${error.message}`);
  return error;
}

const api: Client = client({ url, fetch: telling });
const given = await api.session.signIn({ email: 'ines@fellhuts.example', passphrase: 'kettle on the ridge' });
check(given.token_type === 'Bearer' && given.expires_in === 3600, 'a token');
const ines = await api.session.me({ include: ['profile'] });
check(ines.name === 'Ines Askheim' && ines.phone === '+99 555 0142', 'who she is');

// Pages, chosen members and related records, each with the type that was asked for.
const page = await api.huts.list({
  fields: ['name', 'warden.name', 'nights.date'],
  where: { valley: ['Askdal', 'Sulvik'] },
  sort: ['-altitude_m', 'warden.name'],
  limit: 4,
  total: true,
});
const name: string = page.data[0]!.name;
const date: string = page.data[0]!.nights.data[0]!.date;
check(typeof name === 'string' && /^2026/.test(date) && page.total! > 4 && page.data.length === 4, 'a page');
const second: Page<{ name: string }> | null = await page.next();
check((await second!.prev())!.data[0]!.name === name, 'back again');
// @ts-expect-error: it was not asked for
check(page.data[0]!.beds === undefined, 'not there');
// @ts-expect-error: there is no such member
await refused(api.huts.list({ fields: ['nam'] }), 400, 'invalid-parameter');
// @ts-expect-error: there is no such valley
await refused(api.huts.list({ where: { valley: 'Askda' } }), 400, 'invalid-parameter');
const [card] = (await api.huts.list({ filter: "CASEI(name) LIKE CASEI('grey%')" })).data;
check(card!.altitude_ft! > 0 && !('about' in card!), 'the view of lists');
const grey = await api.huts.read(card!.id, { include: ['warden', 'nights.stays', 'amenities', 'supplies', 'reports'] });
const party: number | undefined = grey.nights.data.flatMap(({ stays }) => stays.data)[0]?.party;
check(party === undefined || party > 0, 'stays within nights');
check(grey.warden!.name === 'Ines Askheim' && etagOf(grey)!.startsWith('"'), 'a record');
let counted = 0;
for await (const { beds } of api.huts.each({ view: 'default', limit: 5 })) counted += beds > 0 ? 1 : 0;
check(counted === 18, 'all of them');

// Writes.
const amenity = await api.amenities.create({ slug: 'bath-house', name: 'Bath house' });
const [twin] = await api.amenities.createMany([{ slug: 'map', name: 'Map' }]);
await api.amenities.replace('map', { name: 'Maps' });
await api.amenities.update(twin!.slug, { name: 'Map of the valley' });
await api.amenities.patch('map', [{ op: 'replace', path: '/name', value: 'Map' }]);
check((await api.amenities.read('map')).name === 'Map', 'as it was patched');
check((await api.amenities.list({ where: { slug: 'map' } })).data.length === 1, 'found');
await api.amenities.delete('map');
const made: Hut = await api.huts.create({
  name: 'Mist Hut',
  valley: 'Askdal',
  beds: 12,
  altitude_m: 1204,
  warden_id: ines.id,
  amenity_ids: [amenity.slug],
});
const moved = await api.huts.update(made.id, { beds: 13 }, { ifMatch: made });
const late = await refused(api.huts.update(made.id, { beds: 14 }, { ifMatch: made }), 412, 'moved-on');
check(late.request !== undefined, 'the number of the request');
const broken = await refused(api.huts.patch(made.id, [{ op: 'add', path: '/beds', value: 0 }]), 422, 'invalid-body');
check(broken.errors[0]!.pointer === '/beds' && broken.errors[0]!.rule === 'minimum', 'what is wrong');
await api.huts.replace(
  made.id,
  { name: 'Mist Hut', valley: 'Askdal', beds: 12, altitude_m: 1204, warden_id: ines.id },
  { ifMatch: moved },
);

const within = api.huts.within(made.id);
const night = await within.nights.create({ date: '2026-07-01', price: 48.5, beds_left: 12 });
const [other] = await api.nights.createMany([{ hut_id: made.id, date: '2026-07-02', price: '48.50', beds_left: 12 }]);
check((await within.nights.list({ sort: ['date'] })).data.length === 2, 'two nights');
check((await api.nights.list({ where: { hut_id: made.id } })).data.length === 2, 'two nights of all');
check('price' in night && night.price === '48.50' && (await api.nights.read(night.id)).beds_left === 12, 'a night');
await api.nights.replace(other!.id, { price: '50' });
await api.nights.update(other!.id, { price: 51 });
await api.nights.patch(other!.id, [
  { op: 'test', path: '/price', value: '51.00' },
  { op: 'replace', path: '/price', value: '52' },
]);

const stays = await api.huts.book(made.id, { first_night: '2026-07-01', nights: 2, party: 5 });
check(stays.length === 2 && stays[0]!.status === 'booked', 'booked');
const short = await refused(
  api.huts.book(made.id, { first_night: '2026-07-01', nights: 1, party: 8 }),
  409,
  'not-enough-left',
);
check(short.errors[0]!.available === '7', 'what is left');
const calendar = await api.huts.calendar(made.id, { from: '2026-07-01', days: 2 });
check(JSON.stringify(calendar).includes('2026-07-01'), 'the calendar');
const key = crypto.randomUUID();
const once = await api.stays.create({ night_id: night.id, party: 1 }, { idempotencyKey: key });
check((await api.stays.create({ night_id: night.id, party: 1 }, { idempotencyKey: key })).id === once.id, 'done once');
check((await api.stays.read(once.id, { include: ['night.hut'] })).night!.hut!.name === 'Mist Hut', 'far away');
check((await api.stays.list({ limit: 1 })).data.length === 1, 'stays');
await api.stays.replace(once.id, { night_id: night.id, party: 2, guest_id: ines.id });
await api.stays.update(once.id, { party: 1 });
await api.stays.patch(once.id, [{ op: 'replace', path: '/party', value: 2 }]);
const guest = await api.stays.within(once.id).guests.create({ name: 'A Friend' });
check((await api.stays.within(once.id).guests.list()).data.length === 1, 'a guest');
const [more] = await api.guests.createMany([{ stay_id: once.id, name: 'Another' }]);
await api.guests.replace(more!.id, { name: 'Another one' });
await api.guests.update(more!.id, { age: 30 });
await api.guests.patch(more!.id, [{ op: 'remove', path: '/age' }]);
check((await api.guests.read(guest.id)).id === guest.id && (await api.guests.list()).data.length > 1, 'guests');
await api.guests.delete(more!.id);
const cancelled = await api.stays.cancel(stays[0]!.id, { because: 'Snow on the pass' });
check(cancelled!.status === 'cancelled', 'cancelled');
check((await api.stays.journalOf(once.id).list()).data.length === 4, 'the history of a stay');
check((await api.stays.journal.list({ where: { action: 'update' }, limit: 1 })).data.length === 1, 'of all stays');
for await (const { action } of api.huts.journalOf(made.id).each({ limit: 1 }))
  check(action !== 'delete', 'the history of a hut');
check((await api.huts.journal.list({ limit: 2, total: true })).total! >= 18, 'of all huts');

const supply = await api.huts.within(made.id).supplies.create({ item: 'Candles', quantity: 20 });
check((await api.huts.within(made.id).supplies.list()).data.length === 1, 'supplies');
const [rope] = await api.supplies.createMany([{ hut_id: made.id, item: 'Rope', quantity: 3 }]);
await api.supplies.replace(rope!.id, { item: 'A rope', unit: 'piece' });
await api.supplies.update(rope!.id, { item: 'Rope' });
await api.supplies.patch(rope!.id, [{ op: 'replace', path: '/item', value: 'Ropes' }]);
check((await api.supplies.read(supply.id)).id === supply.id, 'a supply');
check((await api.supplies.list({ where: { item: 'Ropes' } })).data.length === 1, 'a rope');
const draw = await api.supplyDraws.create({ supply_id: supply.id, amount: 2 });
check((await api.supplyDraws.list({ where: { supply_id: supply.id } })).data[0]!.amount === '2.0', 'drawn');
await api.supplyDraws.replace(draw.id, { amount: 3 });
await api.supplyDraws.update(draw.id, { purpose: 'A dark evening' });
await api.supplyDraws.patch(draw.id, [{ op: 'remove', path: '/purpose' }]);
check((await api.supplyDraws.read(draw.id)).amount === '3.0', 'a draw');

const report = await api.reports.create({
  hut_id: made.id,
  title: 'Water',
  seen_on: '2026-06-30',
  tags: ['water'],
  position: { latitude: 60, longitude: 8 },
});
await api.reports.replace(report.id, { hut_id: made.id, title: 'Water', seen_on: '2026-06-30', severity: 'minor' });
await api.reports.update(report.id, { position: { latitude: 61, longitude: 9 } });
await api.reports.patch(report.id, [{ op: 'replace', path: '/position/latitude', value: 62 }]);
check((await api.reports.read(report.id)).position!.latitude === 62, 'a report');
check((await api.reports.list({ where: { severity: 'minor' } })).data.length > 0, 'reports');
await api.reports.delete(report.id);

// Another caller.
const walker = await api.members.create({
  name: 'New Walker',
  email: 'new@fellhuts.example',
  passphrase: 'over the hills again',
});
await api.members.replace(walker.id, { name: 'New Walker', email: 'new@fellhuts.example' });
await api.members.update(walker.id, { newsletter: true });
await api.members.patch(walker.id, [{ op: 'replace', path: '/name', value: 'Newer Walker' }]);
check((await api.members.read(walker.id, { view: 'default' })).name === 'Newer Walker', 'a member');
check((await api.members.list({ sort: ['name'] })).data.length === 13, 'members');
await refused(
  api.members.create({ name: 'Twin', email: 'new@fellhuts.example', passphrase: 'over the hills again' }),
  409,
  'taken',
);
const theirs = client({ url, fetch: telling });
await refused(
  theirs.session.signIn({ email: 'new@fellhuts.example', passphrase: 'something else' }),
  401,
  'wrong-credentials',
);
const { access_token: token } = await theirs.session.signIn({
  email: 'new@fellhuts.example',
  passphrase: 'over the hills again',
});
const profile = await theirs.profiles.create({ about: 'Walks.' });
await theirs.profiles.replace(profile.id, { about: 'Walks much.' });
await theirs.profiles.update(profile.id, { languages: ['nn'] });
await theirs.profiles.patch(profile.id, [{ op: 'replace', path: '/about', value: 'Walks.' }]);
check(
  (await theirs.profiles.read(profile.id)).id === profile.id && (await theirs.profiles.list()).data.length > 1,
  'profiles',
);
await theirs.profiles.delete(profile.id);
const message = await theirs.messages.create({ recipient_id: ines.id, text: 'Is it open?' });
await api.messages.replace(message.id, { read_at: '2026-07-01T10:00:00Z' });
await api.messages.update(message.id, { read_at: null });
await api.messages.patch(message.id, [{ op: 'add', path: '/read_at', value: '2026-07-01T10:00:00Z' }]);
check(
  (await api.messages.read(message.id)).id === message.id && (await theirs.messages.list()).data.length === 1,
  'messages',
);
await refused(theirs.huts.delete(made.id), 403, 'not-allowed');
await theirs.messages.delete(message.id);
await theirs.session.revoke();
const over = client({ url, token, fetch: telling });
await refused(over.session.me(), 401, 'invalid-token');
const nobody = client({ url, fetch: telling, token: () => Promise.resolve(undefined) });
await refused(nobody.messages.list(), 401, 'sign-in-required');

// What was made goes again; a signal ends a request.
await api.supplyDraws.delete(draw.id);
await api.supplies.delete(rope!.id);
await api.supplies.delete(supply.id);
for (const { id } of [...stays, once]) await api.stays.delete(id);
for (const { id } of [night, other!]) await api.nights.delete(id);
await api.huts.delete(made.id);
await api.members.delete(walker.id);
const stop = new AbortController();
stop.abort(new Error('no more'));
const ended = await api.huts.list({ signal: stop.signal }).then(
  () => 'went on',
  (error: Error) => error.message,
);
check(ended === 'no more', ended);

console.log(JSON.stringify(asked));
