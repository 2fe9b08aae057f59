// The limit: node:http, the very statements of the service, and nothing else. No checks, no routes, no errors.
import { createServer } from 'node:http';
import { readFileSync } from 'node:fs';
import { v7 } from 'uuid';
import { openDriver } from './driver.mjs';

const { address, read, lists, create } = JSON.parse(readFileSync(process.argv[2], 'utf8'));
const prepare = openDriver(address, { raw: true });
const readOne = prepare(read.sql);
const known = new Map(lists.map((list) => [list.path, { ...list, ask: prepare(list.sql) }]));
const [draw, insert, journal] = create === undefined ? [] : [create.draw, create.insert, create.journal].map(prepare);

/** A stay, its beds taken from its night, and the line of the journal. */
function* made(given) {
  const now = prepare.moment(new Date().toISOString());
  const record = { id: v7(), kind: 'bunk', created_at: now, updated_at: now, ...given };
  yield [draw, [given.night_id, given.party, 0]];
  const [[key, text]] = yield [insert, create.fields.map((name) => record[name])];
  const changes = Object.fromEntries(create.fields.map((name) => [name, { after: record[name] }]));
  yield [journal, [v7(), 'stay', key, now, null, 'create', JSON.stringify(changes)]];
  return { key, text };
}

const server = createServer((request, response) => {
  const { url } = request;
  if (request.method === 'POST') {
    const chunks = [];
    request.on('data', (chunk) => chunks.push(chunk));
    request.on('end', () => {
      const send = ({ key, text }) => {
        const body = `{"data":${text}}`;
        const headers = { ...create.headers, location: `/v1/stays/${key}`, 'content-length': Buffer.byteLength(body) };
        response.writeHead(201, headers);
        response.end(body);
      };
      const done = prepare.transaction(made(JSON.parse(Buffer.concat(chunks))));
      if (done instanceof Promise) done.then(send);
      else send(done);
    });
    return;
  }
  const list = known.get(url);
  const send = (rows) => {
    const [texts] = rows[0];
    const body =
      list === undefined
        ? `{"data":${texts}}`
        : `{"data":[${texts.slice(0, texts.lastIndexOf(',\n'))}],"page":${list.page}}`;
    response.writeHead(200, { ...(list ?? read).headers, 'content-length': Buffer.byteLength(body) });
    response.end(body);
  };
  const rows =
    list === undefined
      ? readOne([url.slice(url.lastIndexOf('/') + 1), ...read.values.slice(1)])
      : list.ask(list.values);
  // A promise where the database is another process.
  if (Array.isArray(rows)) send(rows);
  else rows.then(send);
});
// As the service has it.
server.keepAliveTimeout = 72_000;
process.on('SIGINT', () => process.exit());
server.listen(0, '127.0.0.1', () => console.log(JSON.stringify({ url: `http://127.0.0.1:${server.address().port}` })));
