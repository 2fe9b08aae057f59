// The limit: node:http, the very statements of the service, and nothing else. No checks, no routes, no errors.
import { createServer } from 'node:http';
import { readFileSync } from 'node:fs';
import Database from 'libsql';

const { file, read, list, headers } = JSON.parse(readFileSync(process.argv[2], 'utf8'));
const database = new Database(file);
database.exec('PRAGMA journal_mode = WAL');
const readOne = database.prepare(read.sql).raw(true);
const readList = database.prepare(list.sql).raw(true);

const server = createServer((request, response) => {
  const { url } = request;
  let body;
  let head = headers.read;
  if (url.includes('?')) {
    const texts = readList.get(list.values)[0];
    body = `{"data":[${texts.slice(0, texts.lastIndexOf(',\n'))}],"page":${list.page}}`;
    head = headers.list;
  } else body = `{"data":${readOne.get([url.slice(url.lastIndexOf('/') + 1)])[0]}}`;
  response.writeHead(200, { ...head, 'content-length': Buffer.byteLength(body) });
  response.end(body);
});
// As the service has it.
server.keepAliveTimeout = 72_000;
server.listen(0, '127.0.0.1', () => console.log(JSON.stringify({ url: `http://127.0.0.1:${server.address().port}` })));
