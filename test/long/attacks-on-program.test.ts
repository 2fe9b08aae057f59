import { copyFileSync, cpSync, mkdirSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { Agent } from 'node:http';
import { join } from 'node:path';
import { setTimeout } from 'node:timers/promises';
import { fileURLToPath } from 'node:url';
import { describe, expect, test } from '@jest/globals';
import Database from 'libsql';
import pg from 'pg';
import type { StoreKind } from '../../src/core/model/service.ts';
import { fillRows } from '../kit/other-program.ts';
import { kinds, serverDatabases } from '../kit/databases.ts';
import { folderWith, serving, vantfell } from '../kit/program.ts';
import type { RunningProgram } from '../kit/program.ts';
import { raw } from '../kit/raw.ts';

// What was tried with the built program to end it, to stop it, or to make it lose what it has acknowledged.

const WRITING = fileURLToPath(new URL('../fixtures/writing', import.meta.url));
const ITEM = `
model: item
key: serial
stamps: false
fields: { name: { type: string, required: true }, size: { type: integer } }
`;
const ROWS = 300_000;
const SLOW = `filter=${encodeURIComponent("CASEI(name) LIKE CASEI('%é no such%')")}`;
const item = (name: string): string => JSON.stringify({ name });

const database = serverDatabases();

const project = (store: string, limits = '{}'): string =>
  folderWith({
    'vantfell.yaml': `service: { name: Attacked }\nstore: "${store}"\nlimits: ${limits}\n`,
    'models/item.yaml': ITEM,
  });
const SQLITE = 'sqlite:./data.db';

/** A service over a table of many rows. */
async function servingMany(kind: StoreKind, limits: string): Promise<{ server: RunningProgram; store: string }> {
  const store = kind === 'sqlite' ? SQLITE : (await database(kind, 'attacks_many'))!;
  const folder = project(store, limits);
  await (await serving(folder)).stop();
  if (kind === 'sqlite') {
    const database = new Database(join(folder, 'data.db'));
    database.exec(
      'WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL ' +
        `SELECT i + 1 FROM n WHERE i < ${ROWS}) INSERT INTO items (name) ` +
        `SELECT 'é Item ' || i FROM n`,
    );
    database.close();
  } else {
    await fillRows(store, ROWS, { name: (i) => `concat('é Item ', ${i})` });
  }
  return { server: await serving(folder), store };
}

describe.each(kinds)('slow reads, on %s', (kind) => {
  test('that are given up are stopped, nobody has all places, and the service ends in its time', async () => {
    const { server } = await servingMany(kind, '{ read: 2s }');
    const list = `${server.url}/items?${SLOW}`;
    // One caller asks for as many as it likes; another one for one that ends at once, and needs a place of the slow
    // ones.
    const many = Array.from({ length: 12 }, () => raw(list, { from: '127.0.0.2' }));
    await setTimeout(300);
    const other = await raw(`${server.url}/items?filter=${encodeURIComponent("name LIKE 'é Item 1'")}&limit=1`, {
      from: '127.0.0.3',
    });
    expect([other.status, other.milliseconds < 1_900]).toEqual([200, true]);
    const statuses = (await Promise.all(many)).map(({ status }) => status);
    // A quick machine may be through with one or two in time.
    expect(statuses).toContain(503);
    expect(statuses.filter((status) => status !== 503 && status !== 200)).toEqual([]);
    // Their places are free again, at once or where the machine is busy a moment later.
    const again = (): ReturnType<typeof raw> =>
      raw(`${server.url}/items?filter=${encodeURIComponent("name LIKE 'é Item 2'")}&limit=1`, { from: '127.0.0.2' });
    let next = await again();
    for (let tries = 1; tries < 3 && next.status === 503; tries += 1) next = await again();
    expect([next.status, next.body]).toEqual([200, expect.stringContaining('é Item 2')]);
    // A client that has gone leaves nothing behind, and neither does one that waits when the signal comes.
    void raw(list, { begun: (sent) => void setTimeout(100).then(() => sent.destroy()) }).catch(() => undefined);
    await setTimeout(200);
    const waits = raw(list, { from: '127.0.0.4' }).catch(() => ({ status: 0 }));
    await setTimeout(100);
    const begun = performance.now();
    expect(await server.stop()).toBe(0);
    expect(performance.now() - begun).toBeLessThan(5_000);
    // So it is here: what is through in time is answered.
    expect([200, 503]).toContain((await waits).status);
  });
});

describe('SQLite', () => {
  test('another program that writes holds up writers, and no reader', async () => {
    const folder = project(SQLITE);
    const server = await serving(folder);
    const items = `${server.url}/items`;
    expect((await raw(items, { method: 'POST', body: item('one') })).status).toBe(201);
    const other = new Database(join(folder, 'data.db'));
    other.exec('BEGIN IMMEDIATE');
    const writes = [1, 2, 3].map((at) => raw(items, { method: 'POST', body: item(`waiting ${at}`) }));
    let written = 0;
    for (const write of writes) void write.then(() => (written += 1));
    for (let at = 0; at < 40; at += 1) {
      const { status, milliseconds } = await raw(`${items}/1`);
      expect([status, milliseconds < 500, written]).toEqual([200, true, 0]);
      await setTimeout(20);
    }
    other.exec('COMMIT');
    expect((await Promise.all(writes)).map(({ status }) => status)).toEqual([201, 201, 201]);
    // One that never ends is not waited for without an end.
    other.exec('BEGIN IMMEDIATE');
    const refused = await Promise.all([1, 2].map(() => raw(items, { method: 'POST', body: item('never') })));
    expect(
      refused.map(({ status, headers, milliseconds }) => [status, headers['retry-after'], milliseconds < 7_000]),
    ).toEqual([
      [503, '1', true],
      [503, '1', true],
    ]);
    other.exec('ROLLBACK');
    other.close();
    expect((await raw(items, { method: 'POST', body: item('after') })).status).toBe(201);
    expect(await server.stop()).toBe(0);
  });

  test.each<[string, (file: string) => void]>([
    ['deleted', (file) => ['', '-wal', '-shm'].forEach((end) => rmSync(file + end, { force: true }))],
    ['moved away', (file) => renameSync(file, `${file}.old`)],
    ['replaced', (file) => (copyFileSync(file, `${file}.new`), renameSync(`${file}.new`, file))],
  ])(
    'a database that is %s while it is served is noticed, and nothing is acknowledged that is lost',
    async (_what, lose) => {
      const folder = project(SQLITE);
      const server = await serving(folder);
      const items = `${server.url}/items`;
      expect((await raw(items, { method: 'POST', body: item('kept') })).status).toBe(201);
      lose(join(folder, 'data.db'));
      const write = await raw(items, { method: 'POST', body: item('lost') });
      expect([write.status, write.headers['retry-after']]).toEqual([503, '1']);
      await setTimeout(300);
      for (const path of ['/items/1', '/items', `/items?${SLOW}`, '/health/ready']) {
        expect([path, (await raw(server.url + path)).status]).toEqual([path, 503]);
      }
      expect((await raw(`${server.url}/health/live`)).status).toBe(200);
      expect(server.said()).toMatch(/has been (moved or deleted|replaced by another file) while it was open/);
      await server.stop();
    },
  );
});

test('after a signal nothing is begun any more, and what was acknowledged is there', async () => {
  const folder = project(SQLITE);
  const server = await serving(folder, ['--quiet']);
  let [acknowledged, isStopping] = [0, false];
  const after: string[] = [];
  const clients = Array.from({ length: 8 }, async (_one, at) => {
    const agent = new Agent({ keepAlive: true, maxSockets: 1 });
    for (let n = 0; ; n += 1) {
      const body = item(`client ${at} record ${n}`);
      const answer = await raw(`${server.url}/items`, { method: 'POST', body, agent }).catch(() => undefined);
      if (answer === undefined) break;
      if (answer.status === 201) acknowledged += 1;
      if (isStopping) after.push(`${answer.status} ${String(answer.headers.connection)}`);
    }
    agent.destroy();
  });
  await setTimeout(500);
  const begun = performance.now();
  isStopping = true;
  expect(await server.stop()).toBe(0);
  expect(performance.now() - begun).toBeLessThan(3_000);
  await Promise.all(clients);
  // A few were answered before the signal had arrived; the thousands that would have followed were not.
  expect(after.filter((one) => !one.endsWith('close')).length).toBeLessThan(100);
  const database = new Database(join(folder, 'data.db'));
  const { n } = database.prepare('SELECT count(*) AS n FROM items').get() as { n: number };
  database.close();
  expect(n).toBeGreaterThanOrEqual(acknowledged);
  // One for each client may have been kept without its answer having come.
  expect(n - acknowledged).toBeLessThanOrEqual(8);
});

test('secrets are not hashed for a client that has hung up', async () => {
  const folder = folderWith({
    'vantfell.yaml':
      'service: { name: X }\nkey: attacked-attacked-attacked-attacked\n' +
      'identity: { model: person, login: email, secret: passphrase }\n',
    'models/person.yaml':
      'model: person\nkey: name\nfields: { name: { type: string, required: true }, email: ' +
      '{ type: email, required: true, unique: true }, passphrase: { type: secret, ' +
      'required: true } }\nmay: { read: anybody, create: anybody }\n',
  });
  const server = await serving(folder);
  const url = `${server.url}/persons`;
  const plural = (await raw(`${server.url}/`)).body.includes('/people') ? `${server.url}/people` : url;
  const people = (name: string) =>
    JSON.stringify(
      Array.from({ length: 10 }, (_one, at) => ({
        name: `${name}${at}`,
        email: `${name}${at}@attacked.example`,
        passphrase: 'grey',
      })),
    );
  const gone = ['a', 'b', 'c', 'd', 'e', 'f'].map((name) =>
    raw(plural, {
      method: 'POST',
      body: people(name),
      from: '127.0.0.2',
      begun: (sent) => void setTimeout(60).then(() => sent.destroy()),
    }).catch(() => undefined),
  );
  await Promise.all(gone);
  const other = await raw(plural, {
    method: 'POST',
    body: people('z').replace(/^\[(\{[^}]*\}).*$/, '$1'),
    from: '127.0.0.3',
  });
  expect([other.status, other.milliseconds < 4_000]).toEqual([201, true]);
  expect((JSON.parse((await raw(`${plural}?limit=100`)).body) as { data: unknown[] }).data.length).toBeLessThan(22);
  expect(server.said()).not.toContain('"level":50');
  await server.stop();
});

describe('PostgreSQL', () => {
  /** The project with operations that wait, on a database of its own. */
  async function writing(name: string): Promise<{ server: RunningProgram; admin: pg.Client; depot: string }> {
    const folder = folderWith();
    cpSync(WRITING, folder, { recursive: true });
    const store = (await database('postgres', name))!;
    const file = join(folder, 'vantfell.yaml');
    const text = readFileSync(file, 'utf8').replace(/^store:.*\n/m, '');
    writeFileSync(file, `${text}store: ${store}\n`);
    const server = await serving(folder);
    const admin = new pg.Client({ connectionString: store });
    await admin.connect();
    const made = await raw(`${server.url}/depots`, {
      method: 'POST',
      body: JSON.stringify({ slug: 'a', name: 'Depot', sleds: 40 }),
    });
    expect(made.status).toBe(201);
    return { server, admin, depot: (JSON.parse(made.body) as { data: { id: string } }).data.id };
  }
  const OTHERS =
    'SELECT pg_terminate_backend(pid) ' +
    'FROM pg_stat_activity WHERE datname = current_database() AND pid <> ' +
    'pg_backend_pid()';

  test('a connection that is lost in a transaction is a 503, and the service goes on', async () => {
    const { server, admin, depot } = await writing('attacks_lost');
    for (let round = 0; round < 15; round += 1) {
      const waits = Array.from({ length: 4 }, () =>
        raw(`${server.url}/depots/${depot}/wait`, { method: 'POST', body: '{"ms":100}' }),
      );
      const reads = Array.from({ length: 4 }, () => raw(`${server.url}/depots/${depot}`));
      await setTimeout(10 + 10 * (round % 5));
      await admin.query(OTHERS);
      for (const { status, headers } of await Promise.all([...waits, ...reads])) {
        expect([200, 503]).toContain(status);
        if (status === 503) expect(headers['retry-after']).toBe('1');
      }
    }
    await admin.query(`ALTER DATABASE attacks_lost SET idle_in_transaction_session_timeout = '50ms'`);
    await admin.query(OTHERS);
    await setTimeout(50);
    const idle = await raw(`${server.url}/depots/${depot}/wait`, { method: 'POST', body: '{"ms":400}' });
    expect([idle.status, idle.headers['retry-after']]).toEqual([503, '1']);
    expect((await raw(`${server.url}/depots/${depot}`)).status).toBe(200);
    await admin.end();
    expect(await server.stop()).toBe(0);
  });

  test('behind a locked table no read waits for longer than it may, and other reads go by', async () => {
    const { server, admin, depot } = await writing('attacks_locked');
    const read = (path: string) => raw(server.url + path);
    for (let at = 0; at < 10; at += 1) await read(`/depots/${depot}`);
    await admin.query('BEGIN');
    await admin.query('LOCK TABLE depots IN ACCESS EXCLUSIVE MODE');
    const locked = Array.from({ length: 6 }, () => read(`/depots/${depot}`));
    await setTimeout(200);
    for (let at = 0; at < 10; at += 1) {
      const other = await read('/loans/0198c0de-0000-7000-8000-000000000000');
      expect([other.status, other.milliseconds < 1_000]).toEqual([404, true]);
    }
    for (const { status, milliseconds } of await Promise.all(locked)) {
      expect([status, milliseconds < 6_500]).toEqual([503, true]);
    }
    await admin.query('ROLLBACK');
    // What was given up on the way has its connections to itself for a moment yet.
    const again = await Promise.all(Array.from({ length: 20 }, () => read(`/depots/${depot}`)));
    expect(new Set(again.map(({ status }) => status))).toEqual(new Set([200]));
    await admin.end();
    expect(await server.stop()).toBe(0);
  });
});

describe('errors that nothing catches', () => {
  const open = async (hook: string): Promise<RunningProgram> => {
    const folder = project(SQLITE);
    const code =
      `import { hooks } from 'vantfell';\nexport default hooks('item', { ` +
      `afterCreate(record) { if (record.name === 'bad') { ${hook} } } });\n`;
    mkdirSync(join(folder, 'code'));
    writeFileSync(join(folder, 'code/item.hooks.ts'), code);
    expect((await vantfell(['check', '-C', folder])).code).toBe(0);
    return serving(folder);
  };

  test('a promise that nobody waits for is logged, and the service goes on', async () => {
    const server = await open("void Promise.reject(new Error('nobody waits'));");
    expect((await raw(`${server.url}/items`, { method: 'POST', body: item('bad') })).status).toBe(201);
    await server.until('nobody waits');
    expect((await raw(`${server.url}/items`, { method: 'POST', body: item('good') })).status).toBe(201);
    expect(await server.stop()).toBe(0);
  });

  test(
    'what is thrown beside everything is logged, open requests are ' +
      'finished, and the program ends with its own code',
    async () => {
      const server = await open("setTimeout(() => { throw new Error('beside everything'); }, 0);");
      const ended = new Promise(
        (resolve) => void server.more().then(async () => resolve(await server.stop('SIGCONT'))),
      );
      expect((await raw(`${server.url}/items`, { method: 'POST', body: item('bad') })).status).toBe(201);
      expect(await ended).toBe(4);
      expect(server.said()).toContain('beside everything');
    },
  );
});
