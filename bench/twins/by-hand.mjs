// The same endpoints as a careful developer writes them: Express, Yup and the driver; rows become objects and then
// text.
import express from 'express';
import { readFileSync } from 'node:fs';
import { v7 } from 'uuid';
import { number, object, string, ValidationError } from 'yup';
import { kindOf, openDriver } from './driver.mjs';

const { address } = JSON.parse(readFileSync(process.argv[2], 'utf8'));
const kind = kindOf(address);
const [sqlite, postgres, mariadb] = ['sqlite', 'postgres', 'mariadb'].map((one) => one === kind);
const prepare = openDriver(address, { raw: false });
const place = (at) => (postgres ? `$${at}` : '?');

const stamp = (name) =>
  ({
    sqlite: name,
    postgres: `to_char(${name} AT TIME ZONE 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS.MS"Z"') AS ${name}`,
    mariadb: `CONCAT(REPLACE(${name}, ' ', 'T'), 'Z') AS ${name}`,
  })[kind];
const columns =
  'id, name, slug, valley, beds, altitude_m, price, winter_room, opens_on, ' +
  `about, keeper_id, ${stamp('created_at')}, ${stamp('updated_at')}`;
const one = prepare(`SELECT ${columns} FROM huts WHERE id = ${place(1)}`);
const first = prepare(`SELECT ${columns} FROM huts ORDER BY id LIMIT ${place(1)}`);
const after = prepare(`SELECT ${columns} FROM huts WHERE id > ${place(1)} ORDER BY id LIMIT ${place(2)}`);
const inValley = prepare(
  `SELECT ${columns} FROM huts WHERE valley = ${place(1)} ORDER BY ` +
    `altitude_m DESC${mariadb ? '' : ' NULLS LAST'}, id DESC ` +
    `LIMIT ${place(2)}`,
);
/** Statements for so many keys, made when they are first needed. */
const forKeys = (sql) => {
  const made = new Map();
  return (keys) => {
    if (!made.has(keys.length)) made.set(keys.length, prepare(sql(keys.map((_key, at) => place(at + 1)).join(', '))));
    return made.get(keys.length)(keys);
  };
};
const keepersOf = forKeys((keys) => `SELECT id, name, since FROM keepers WHERE id IN (${keys})`);
const reportsOf = forKeys(
  (keys) =>
    `SELECT id, hut_id, number, text, author_id FROM reports WHERE hut_id IN (${keys}) ORDER BY hut_id, number, id`,
);

// Yup's own uuid() refuses version 7.
const date = /^\d{4}-\d{2}-\d{2}$/;
const uuid = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i;
const params = object({ id: string().matches(uuid).required() }).noUnknown();
const query = object({
  limit: number().integer().min(1).max(100).default(20),
  after: string().matches(uuid),
  valley: string().oneOf(['Askdal', 'Brattdal', 'Sulvik']),
  sort: string().oneOf(['-altitude_m']),
  include: string().oneOf(['keeper,reports.author']),
}).noUnknown();

const toJson = ({ price, winter_room, ...row }) => ({
  id: row.id,
  name: row.name,
  slug: row.slug,
  valley: row.valley,
  beds: row.beds,
  altitude_m: row.altitude_m,
  price: sqlite ? (price / 100).toFixed(2) : price,
  winter_room: postgres ? winter_room : winter_room === 1,
  opens_on: row.opens_on,
  about: row.about,
  keeper_id: row.keeper_id,
  created_at: row.created_at,
  updated_at: row.updated_at,
});

/** Huts with their keepers, and their first twenty reports with their authors: a statement for each kind of record. */
async function withRelated(huts) {
  const reports = await reportsOf(huts.map(({ id }) => id));
  const keys = [...new Set([...huts.map(({ keeper_id }) => keeper_id), ...reports.map(({ author_id }) => author_id)])];
  const keepers = new Map((await keepersOf(keys)).map((keeper) => [keeper.id, keeper]));
  const byHut = new Map();
  for (const { id, hut_id, number, text, author_id } of reports) {
    if (!byHut.has(hut_id)) byHut.set(hut_id, []);
    byHut.get(hut_id).push({ id, hut_id, number, text, author_id, author: keepers.get(author_id) });
  }
  return huts.map((hut) => {
    const own = byHut.get(hut.id) ?? [];
    return { ...hut, keeper: keepers.get(hut.keeper_id), reports: { data: own.slice(0, 20), more: own.length > 20 } };
  });
}

const stayBody = object({
  party: number().integer().min(1).max(20).required(),
  kind: string().oneOf(['bunk', 'room', 'tent']).default('bunk'),
  from: string().matches(date).required(),
  until: string()
    .matches(date)
    .nullable()
    .test('order', 'must not be before from', (until, { parent }) => until == null || until >= parent.from),
  phone: string()
    .matches(/^\+?[0-9 ]{6,20}$/)
    .max(20)
    .nullable(),
  note: string().max(400).nullable(),
  night_id: string().matches(uuid).required(),
  guest_id: string().matches(uuid).required(),
}).noUnknown();
const nightThere = prepare(`SELECT id FROM nights WHERE id = ${place(1)}`);
const guestThere = prepare(`SELECT id FROM keepers WHERE id = ${place(1)}`);
// MariaDB has no RETURNING there, and tells how many records were changed.
const take = prepare(
  `UPDATE nights SET beds_left = beds_left - ${place(1)} ` +
    `WHERE id = ${place(2)} AND beds_left >= ${place(3)}${mariadb ? '' : ' RETURNING beds_left'}`,
);
const taken = (outcome) => (mariadb ? outcome.affectedRows : outcome.length);
const stayColumns = [
  'id',
  'party',
  'kind',
  '"from"',
  'until',
  'phone',
  'note',
  'night_id',
  'guest_id',
  'created_at',
  'updated_at',
];
const places = (count) => Array.from({ length: count }, (_none, at) => place(at + 1)).join(', ');
const insertStay = prepare(`INSERT INTO stays (${stayColumns.join(', ')}) VALUES (${places(11)})`);
const writeJournal = prepare(
  `INSERT INTO vantfell_journal (id, model, record, at, "by", action, changes) VALUES (${places(7)})`,
);

function* booked(given) {
  if ((yield [nightThere, [given.night_id]]).length === 0) throw new ValidationError('there is no such night');
  if ((yield [guestThere, [given.guest_id]]).length === 0) throw new ValidationError('there is no such guest');
  if (taken(yield [take, [given.party, given.night_id, given.party]]) === 0) throw new Error('not enough beds');
  const now = new Date().toISOString();
  const at = prepare.moment(now);
  const { party, kind, from, until = null, phone = null, night_id, guest_id } = given;
  const note = given.note?.trim() ?? null;
  const row = { id: v7(), party, kind, from, until, phone, note, night_id, guest_id, created_at: now, updated_at: now };
  yield [insertStay, Object.values({ ...row, created_at: at, updated_at: at })];
  const changes = Object.fromEntries(Object.entries(row).map(([name, value]) => [name, { after: value }]));
  yield [writeJournal, [v7(), 'stay', row.id, at, null, 'create', JSON.stringify(changes)]];
  return row;
}

const app = express();
app.disable('x-powered-by');
app.set('etag', false);
app.use((_request, response, next) => {
  response.set('x-content-type-options', 'nosniff');
  response.set('content-security-policy', "default-src 'none'; frame-ancestors 'none'");
  response.set('referrer-policy', 'no-referrer');
  next();
});
app.get('/v1/huts', async (request, response) => {
  const { limit, after: cursor, valley, sort, include } = await query.validate(request.query, { abortEarly: false });
  const rows = await (sort !== undefined
    ? inValley([valley, limit + 1])
    : cursor === undefined
      ? first([limit + 1])
      : after([cursor, limit + 1]));
  const huts = rows.slice(0, limit).map(toJson);
  const data = include === undefined ? huts : await withRelated(huts);
  const next = rows.length > limit ? `/v1/huts?limit=${limit}&after=${data.at(-1).id}` : null;
  if (next !== null) response.set('link', `<${next}>; rel="next"`);
  response.json({ data, page: { limit, next, prev: null } });
});
app.get('/v1/huts/:id', async (request, response) => {
  const { id } = await params.validate(request.params, { abortEarly: false });
  const [row] = await one([id]);
  if (row === undefined) return response.status(404).json({ title: 'There is no such record', status: 404 });
  return response.json({ data: toJson(row) });
});
app.post('/v1/stays', express.json(), async (request, response) => {
  const given = await stayBody.validate(request.body, { abortEarly: false });
  const row = await prepare.transaction(booked(given));
  response.status(201).set('location', `/v1/stays/${row.id}`).json({ data: row });
});
app.use((error, _request, response, _next) => {
  const status = error instanceof ValidationError ? 400 : 500;
  response.status(status).json({ title: 'Wrong request', status, errors: error.errors });
});
process.on('SIGINT', () => process.exit());
const server = app.listen(0, '127.0.0.1', () =>
  console.log(JSON.stringify({ url: `http://127.0.0.1:${server.address().port}` })),
);
