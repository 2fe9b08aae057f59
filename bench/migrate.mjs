// npm run bench:migrate: how long migrations of 300 000 rows take, beside a plain UPDATE of all of them, and what waits
// meanwhile: a service reads one record again and again, and writes one. Writes it into docs/benchmarks.md.
import { spawn, spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import Database from 'libsql';
import pg from 'pg';
import { newDatabase, startPostgres } from '../test/kit/postgres.mjs';

const ROWS = 300_000;
const PROGRAM = fileURLToPath(new URL('../dist/cli/main.js', import.meta.url));
const PORT = 18_081;

const FIELDS = {
  name: '{ type: string }',
  price: '{ type: decimal, scale: 2 }',
  code: '{ type: string }',
  place: '{ type: object, properties: { street: { type: string } } }',
};
/** What changes, and what `draft` is told of it. */
const CHANGES = [
  ['a new field', { ...FIELDS, beds: '{ type: integer }' }],
  ['another name', { ...FIELDS, name: undefined, title: FIELDS.name }, '--rename', 'hut.name=hut.title'],
  ['a tighter rule', { ...FIELDS, name: '{ type: string, maxLength: 60 }' }],
  ['decimal, another scale', { ...FIELDS, price: '{ type: decimal, scale: 4 }' }],
  ['string to integer', { ...FIELDS, code: '{ type: integer }' }],
  [
    'a name inside of a value',
    { ...FIELDS, place: FIELDS.place.replace('street', 'road') },
    '--rename',
    'hut.place.street=hut.place.road',
  ],
];

const model = (fields) =>
  `model: hut\nkey: serial\nstamps: false\nfields:\n${Object.entries(fields)
    .filter(([, declared]) => declared !== undefined)
    .map(([name, declared]) => `  ${name}: ${declared}\n`)
    .join('')}`;

/** A database that statements can be put to, one after the other. */
async function opened(address) {
  if (address.startsWith('sqlite:')) {
    const database = new Database(address.slice('sqlite:'.length));
    return { exec: (sql) => Promise.resolve(database.exec(sql)), close: () => Promise.resolve(database.close()) };
  }
  const client = new pg.Client({ connectionString: address });
  await client.connect();
  return { exec: (sql) => client.query(sql), close: () => client.end() };
}

const fillOf = (address) => {
  const [price, place] = [
    address.startsWith('sqlite:') ? 'i % 9000' : 'i % 9000 / 100.0',
    `'{"street":"Road ' || i || '"}'`,
  ];
  const rows =
    `SELECT 'Hut ' || i, ${price}, '' || i, ` +
    `${address.startsWith('sqlite:') ? place : `(${place})::json`} ` +
    'FROM n';
  const numbers = `WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < ${ROWS})`;
  return `INSERT INTO huts (name, price, code, place) ${numbers} ${rows}`;
};

async function milliseconds(work) {
  const start = performance.now();
  await work();
  return performance.now() - start;
}

function run(folder, ...words) {
  const { status, stdout, stderr } = spawnSync(process.execPath, [PROGRAM, ...words, '-C', folder], {
    encoding: 'utf8',
  });
  if (status !== 0) throw new Error(`${words.join(' ')}: ${stdout}${stderr}`);
}

/** Asks a service over and over until told to stop; gives the longest wait for an answer. */
function asking(method, path, body) {
  let [longest, isOver] = [0, false];
  const work = (async () => {
    while (!isOver) {
      const start = performance.now();
      const init = { method, headers: { 'content-type': 'application/merge-patch+json' }, ...(body && { body }) };
      const answer = await fetch(`http://127.0.0.1:${PORT}${path}`, init);
      await answer.text();
      // One that had to wait to be told that the tables have moved on has waited, too.
      longest = Math.max(longest, performance.now() - start);
      await new Promise((resolve) => setTimeout(resolve, 10));
    }
  })();
  return async () => {
    isOver = true;
    await work;
    return longest;
  };
}

async function served(folder) {
  const child = spawn(process.execPath, [PROGRAM, 'serve', '-C', folder, '--port', String(PORT), '--quiet'], {
    stdio: 'ignore',
  });
  for (;;) {
    const answer = await fetch(`http://127.0.0.1:${PORT}/health/ready`).catch(() => undefined);
    if (answer?.status === 200) return () => child.kill();
    await new Promise((resolve) => setTimeout(resolve, 20));
  }
}

async function measured(kind, address, [what, fields, ...told]) {
  const folder = mkdtempSync(join(tmpdir(), 'vantfell-migrate-'));
  mkdirSync(join(folder, 'models'));
  const store = kind === 'sqlite' ? `sqlite:${join(folder, 'm.db')}` : address;
  writeFileSync(join(folder, 'vantfell.yaml'), `service: { name: Migrating }\nstore: ${store}\n`);
  writeFileSync(join(folder, 'models/hut.yaml'), model(FIELDS));
  run(folder, 'migrate', 'draft');
  run(folder, 'migrate', 'run');
  const database = await opened(store);
  await database.exec(fillOf(store));
  const plain = await milliseconds(() => database.exec("UPDATE huts SET name = name || ''"));
  await database.close();
  const nothing = await milliseconds(() => run(folder, 'migrate', 'run'));
  writeFileSync(join(folder, 'models/hut.yaml'), model({ ...FIELDS }));
  const end = await served(folder);
  writeFileSync(join(folder, 'models/hut.yaml'), model(fields));
  run(folder, 'migrate', 'draft', ...told);
  const [reading, writing] = [asking('GET', '/huts/7'), asking('PATCH', '/huts/8', '{"code":"1"}')];
  const took = await milliseconds(
    () =>
      new Promise((resolve, reject) => {
        const child = spawn(process.execPath, [PROGRAM, 'migrate', 'run', '-C', folder], { stdio: 'ignore' });
        child.on('close', (code) => (code === 0 ? resolve() : reject(new Error(`migrate run ended with ${code}`))));
      }),
  );
  const [read, write] = [await reading(), await writing()];
  end();
  rmSync(folder, { recursive: true, force: true });
  const shown = (value) => `${value.toFixed(0)} ms`;
  const row = [kind, what, `${(Math.max(0, took - nothing) / plain).toFixed(1)}×`, shown(read), shown(write)];
  console.log(row.join(' | '), `(plain ${shown(plain)}, start ${shown(nothing)}, all ${shown(took)})`);
  return `| ${row.join(' | ')} |`;
}

const server = await startPostgres();
try {
  const rows = [];
  for (const kind of ['sqlite', 'postgres']) {
    for (const change of CHANGES) {
      rows.push(await measured(kind, kind === 'postgres' ? await newDatabase(server, 'migrating') : '', change));
    }
  }
  const page = fileURLToPath(new URL('../docs/benchmarks.md', import.meta.url));
  const [head, , tail] = readFileSync(page, 'utf8').split(/(?:<!-- migrations -->|<!-- end of migrations -->)/);
  const table =
    '| store | what changes | of a plain `UPDATE` | longest read meanwhile | ' +
    'longest write |\n| --- | --- | --- | --- | --- |\n' +
    `${rows.join('\n')}`;
  writeFileSync(page, `${head}<!-- migrations -->\n\n${table}\n\n<!-- end of migrations -->${tail}`);
} finally {
  await server.stop();
}
