import { spawn } from 'node:child_process';
import { cpSync, mkdirSync, readdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, describe, expect, test } from '@jest/globals';
import { blocksOf, MARK, pageScript } from '../kit/pages.ts';
import { kinds, openServers } from '../kit/databases.ts';
import { freePort } from '../kit/postgres.mjs';
import { ask, asking, demoFolder, folderWith, serving, vantfell } from '../kit/program.ts';

const at = (path: string): string => fileURLToPath(new URL(`../../${path}`, import.meta.url));
const hasMariadb = kinds.includes('mariadb');
const guides = readdirSync(at('docs/guides'))
  .filter((name) => hasMariadb || name !== 'mariadb.md')
  .map((name) => `docs/guides/${name}`);
const reference = readdirSync(at('docs'))
  .filter((name) => name.endsWith('.md'))
  .map((name) => `docs/${name}`);

const servers = openServers();
afterAll(() => servers.stop());

/** Types a page into a shell, in an empty folder; gives what came of each of its blocks of commands. */
async function typed(page: string): Promise<string[]> {
  const others = {
    'postgres://walks@127.0.0.1:5432/walks': await servers.database('postgres', 'walks'),
    ...(hasMariadb ? { 'mariadb://walks@127.0.0.1:3306/walks': await servers.database('mariadb', 'walks') } : {}),
  };
  const script = pageScript(page, { program: at('dist/cli/main.js'), port: await freePort(), others });
  const shell = spawn('bash', ['-c', `exec 2>&1\n${script}`], {
    cwd: folderWith(),
    env: { ...process.env, NO_COLOR: '1' },
    stdio: ['ignore', 'pipe', 'ignore'],
  });
  let said = '';
  shell.stdout.on('data', (chunk: Buffer) => (said += chunk.toString()));
  const code = await new Promise((resolve) => shell.on('close', resolve));
  expect({ page, code, said: code === 0 ? '' : said }).toEqual({ page, code: 0, said: '' });
  return said.split(MARK).slice(1);
}

describe('a page that is typed as it stands', () => {
  test.each(['README.md', ...guides])('%s', async (page) => {
    const outputs = await typed(page);
    let command = -1;
    for (const block of blocksOf(page)) {
      if (block.language === 'sh') command += 1;
      // What a page says comes of a block comes of it.
      if (block.language !== 'text') continue;
      const plain = outputs[command]!.replace(/ +/g, ' ');
      for (const line of block.text.trim().split('\n')) expect(plain).toContain(line.trim().replace(/ +/g, ' '));
    }
    expect(command).toBeGreaterThan(0);
  });

  test('the last answer of the README tells everything that is wrong at once', async () => {
    const outputs = await typed('README.md');
    const answer = outputs.find((output) => output.includes('invalid-body'))!;
    for (const member of ['kind', 'grams', 'price']) expect(answer).toContain(`"pointer":"/${member}"`);
  });
});

test('every block of every page is typed, or is held to something else', () => {
  const elsewhere: Readonly<Record<string, readonly string[]>> = {
    // docs.test.ts
    'docs/language.md': ['yaml'],
    'docs/access.md': ['yaml', 'sh'],
    // client.test.ts: the client; below: comparing
    'docs/commands.md': ['ts', 'sh'],
    // below
    'docs/expressions.md': ['json'],
    'docs/http.md': ['json', 'ts'],
    'docs/samples-and-trials.md': ['yaml', 'csv'],
    'docs/writes.md': ['ts', 'yaml'],
  };
  const loose = reference
    .flatMap((page) => blocksOf(page))
    .filter(({ page, language }) => elsewhere[page]?.includes(language) !== true);
  expect(loose).toEqual([]);
  const typedHere = ['README.md', ...guides].flatMap((page) => blocksOf(page));
  expect(
    typedHere.filter(({ language, file }) => file === undefined && language !== 'sh' && language !== 'text'),
  ).toEqual([]);
  const scripts = (JSON.parse(readFileSync(at('package.json'), 'utf8')) as { scripts: object }).scripts;
  const named = ['README.md', 'CONTRIBUTING.md']
    .flatMap((page) => blocksOf(page, 'sh'))
    .flatMap(({ text }) => [...text.matchAll(/npm (?:run )?([\w:]+)/g)])
    .map(([, name]) => name!);
  expect(named.filter((name) => name !== 'ci' && !(name in scripts))).toEqual([]);
});

describe('examples of the reference, in the demo', () => {
  test('the problem of docs/http.md is what the service answers', async () => {
    const folder = demoFolder();
    expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
    const server = await serving(folder);
    const [block] = blocksOf('docs/http.md', 'json');
    const told = JSON.parse(block!.text) as { request: string };
    const send = await asking(folder, 'ines');
    const answer = await send(`${server.url}/v1/huts`, 'POST', {
      name: 'Mist Hut',
      valley: 'Askdal',
      altitude_m: 1204,
      beds: 0,
      naem: 'x',
    });
    expect({ ...answer.body, request: told.request }).toEqual(told);
    const filter = encodeURIComponent(blocksOf('docs/expressions.md', 'json')[0]!.text);
    const found = await ask(`${server.url}/v1/huts?filter-lang=cql2-json&filter=${filter}&fields=beds,about`);
    expect(found.status).toBe(200);
    expect(found.body.data.length).toBeGreaterThan(0);
    await server.stop();
  });

  test('what programs do in docs/http.md and docs/writes.md runs', async () => {
    for (const page of ['docs/http.md', 'docs/writes.md']) {
      const program = blocksOf(page, 'ts').find(({ text }) => text.includes('openService'))!;
      const cwd = folderWith({ 'main.mjs': program.text });
      cpSync(demoFolder(), join(cwd, 'fell-huts'), { recursive: true });
      mkdirSync(join(cwd, 'node_modules'));
      symlinkSync(at('.'), join(cwd, 'node_modules/vantfell'));
      const ran = spawn(process.execPath, ['main.mjs'], { cwd, stdio: ['ignore', 'ignore', 'pipe'] });
      let errors = '';
      ran.stderr.on('data', (chunk: Buffer) => (errors += chunk.toString()));
      expect([await new Promise((resolve) => ran.on('close', resolve)), errors]).toEqual([0, '']);
    }
  });

  test('the code and the draw of docs/writes.md are sound', async () => {
    const folder = demoFolder();
    const [hooks, find, operation] = blocksOf('docs/writes.md', 'ts').map(({ text }) => text);
    writeFileSync(join(folder, 'code/stay.hooks.ts'), hooks!);
    writeFileSync(join(folder, 'code/stay.cancel.ts'), operation!);
    const [imported, ...lines] = find!.trim().split('\n');
    writeFileSync(
      join(folder, 'code/guest.hooks.ts'),
      `${imported}\nimport { hooks } from 'vantfell';\n` +
        `export default hooks('guest', { async beforeCreate(draft, scope) { const hut = 'x', from = ` +
        `'2027-01-01';\n${lines.join('\n')}\n} });\n`,
    );
    const stay = join(folder, 'models/stay.yaml');
    const [draws] = blocksOf('docs/writes.md', 'yaml');
    writeFileSync(stay, readFileSync(stay, 'utf8').replace(/^draws:\n(?: .*\n)+/m, draws!.text.replace(/^#.*\n/, '')));
    expect(readFileSync(stay, 'utf8')).toContain(draws!.text.trim().split('\n').at(-1)!);
    expect(await vantfell(['check', '-C', folder, '--json'])).toMatchObject({ code: 0 });
  });

  test('the samples and the scenarios of docs/samples-and-trials.md load and pass', async () => {
    const folder = demoFolder();
    const [samples, example, scenario] = blocksOf('docs/samples-and-trials.md', 'yaml').map(({ text }) => text);
    const [nights] = blocksOf('docs/samples-and-trials.md', 'csv').map(({ text }) => text);
    writeFileSync(join(folder, 'trials/docs.yaml'), scenario!);
    const report = join(folder, 'models/report.yaml');
    writeFileSync(report, readFileSync(report, 'utf8').replace(/^trial:\n(?: .*\n)+/m, example!));
    const ran = await vantfell(['trial', '-C', folder, '--only', 'last beds', '--json']);
    expect(JSON.parse(ran.out)).toMatchObject({ passed: 2, failed: 0 });
    const small = folderWith({
      'vantfell.yaml': 'service: { name: X }\n',
      'models/all.yaml':
        'model: member\nkey: name\nfields: { name: { type: string } }\n' +
        '---\nmodel: amenity\nkey: name\nfields: { name: { type: string } }\n' +
        '---\nmodel: hut\nfields: { name: { type: string } }\n' +
        'relations: { warden: { to: member }, amenities: { with: amenity } }\n' +
        '---\nmodel: night\nwithin: hut\nfields: { date: { type: date }, price: { type: ' +
        'decimal }, beds_left: { type: integer } }\n',
      'samples/members.yaml': 'ines: { name: ines }\n',
      'samples/amenities.yaml': 'stove: { name: stove }\nradio: { name: radio }\n',
      'samples/huts.yaml': samples!,
      'samples/nights.csv': nights!,
    });
    expect(await vantfell(['seed', '-C', small])).toMatchObject({ code: 0 });
  });

  test('comparing, as in docs/commands.md', async () => {
    const folder = demoFolder();
    const [block] = blocksOf('docs/commands.md', 'sh');
    expect(block!.text).toContain(
      'export openapi --compare openapi.json && vantfell export openapi --out openapi.json',
    );
    const there = { cwd: folder };
    expect((await vantfell(['export', 'openapi', '--out', 'openapi.json'], there)).code).toBe(0);
    expect((await vantfell(['export', 'openapi', '--compare', 'openapi.json'], there)).code).toBe(0);
  });
});
