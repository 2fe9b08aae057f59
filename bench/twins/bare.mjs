// The limit: node:http, the very statements of the service, and nothing else. No checks, no routes, no errors.
import { createServer } from 'node:http';
import { readFileSync } from 'node:fs';
import { openDriver } from './driver.mjs';

const { address, read, lists } = JSON.parse(readFileSync(process.argv[2], 'utf8'));
const prepare = openDriver(address, { raw: true });
const readOne = prepare(read.sql);
const known = new Map(lists.map((list) => [list.path, { ...list, ask: prepare(list.sql) }]));

const server = createServer((request, response) => {
  const { url } = request;
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
  const rows = list === undefined ? readOne([url.slice(url.lastIndexOf('/') + 1)]) : list.ask(list.values);
  // A promise where the database is another process.
  if (Array.isArray(rows)) send(rows);
  else rows.then(send);
});
// As the service has it.
server.keepAliveTimeout = 72_000;
server.listen(0, '127.0.0.1', () => console.log(JSON.stringify({ url: `http://127.0.0.1:${server.address().port}` })));
