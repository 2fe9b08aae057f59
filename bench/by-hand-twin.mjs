// The same two endpoints as a careful developer writes them: Express, Yup and the driver; rows become objects.
import express from 'express';
import Database from 'libsql';
import { readFileSync } from 'node:fs';
import { number, object, string, ValidationError } from 'yup';

const { file } = JSON.parse(readFileSync(process.argv[2], 'utf8'));
const database = new Database(file);
database.exec('PRAGMA journal_mode = WAL');
const columns = 'id, name, slug, valley, beds, altitude_m, price, winter_room, opens_on, about, created_at, updated_at';
const one = database.prepare(`SELECT ${columns} FROM huts WHERE id = ?`);
const first = database.prepare(`SELECT ${columns} FROM huts ORDER BY id LIMIT ?`);
const after = database.prepare(`SELECT ${columns} FROM huts WHERE id > ? ORDER BY id LIMIT ?`);

// Yup's own uuid() refuses version 7.
const uuid = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i;
const params = object({ id: string().matches(uuid).required() }).noUnknown();
const query = object({
  limit: number().integer().min(1).max(100).default(20),
  after: string().matches(uuid),
}).noUnknown();

const toJson = ({ price, winter_room, ...row }) => ({
  id: row.id,
  name: row.name,
  slug: row.slug,
  valley: row.valley,
  beds: row.beds,
  altitude_m: row.altitude_m,
  price: (price / 100).toFixed(2),
  winter_room: winter_room === 1,
  opens_on: row.opens_on,
  about: row.about,
  created_at: row.created_at,
  updated_at: row.updated_at,
});

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
  const { limit, after: cursor } = await query.validate(request.query, { abortEarly: false });
  const rows = cursor === undefined ? first.all([limit + 1]) : after.all([cursor, limit + 1]);
  const data = rows.slice(0, limit).map(toJson);
  const next = rows.length > limit ? `/v1/huts?limit=${limit}&after=${data.at(-1).id}` : null;
  if (next !== null) response.set('link', `<${next}>; rel="next"`);
  response.json({ data, page: { limit, next, prev: null } });
});
app.get('/v1/huts/:id', async (request, response) => {
  const { id } = await params.validate(request.params, { abortEarly: false });
  const row = one.get([id]);
  if (row === undefined) return response.status(404).json({ title: 'There is no such record', status: 404 });
  return response.json({ data: toJson(row) });
});
app.use((error, _request, response, _next) => {
  const status = error instanceof ValidationError ? 400 : 500;
  response.status(status).json({ title: 'Wrong request', status, errors: error.errors });
});
const server = app.listen(0, '127.0.0.1', () =>
  console.log(JSON.stringify({ url: `http://127.0.0.1:${server.address().port}` })),
);
