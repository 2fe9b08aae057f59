import { spawn } from 'node:child_process';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { describe, expect, test } from '@jest/globals';
import { demoFolder, folderWith, vantfell } from '../kit/program.ts';

const PROGRAM = fileURLToPath(new URL('../../dist/cli/main.js', import.meta.url));

/** What moves the cursor and colours a terminal. */
// eslint-disable-next-line no-control-regex
const ESCAPES = /\u001b\[[0-9;?]*[A-Za-z]/g;

describe('new', () => {
  test('makes a project that is sound and passes its own trial, called by the name of its folder', async () => {
    const cwd = folderWith();
    const made = await vantfell(['new', 'tea-house'], { cwd });
    expect(made).toMatchObject({ code: 0, err: '' });
    expect(made.out).toContain('  cd tea-house\n  vantfell check');
    const folder = join(cwd, 'tea-house');
    expect(await vantfell(['check'], { cwd: folder })).toMatchObject({
      code: 0,
      out: 'sound: Tea House, 2 models, 14 endpoints\n',
    });
    const trial = await vantfell(['trial', '--json'], { cwd: folder });
    expect(trial.code).toBe(0);
    expect(JSON.parse(trial.out)).toMatchObject({ failed: 0, skipped: [] });
  });

  test('teaches: every file that it makes says what it is', async () => {
    const cwd = folderWith();
    await vantfell(['new', '.', '--json'], { cwd });
    for (const file of ['vantfell.yaml', 'models/walk.yaml', 'samples/walks.yaml', 'trials/notes.yaml']) {
      expect(readFileSync(join(cwd, file), 'utf8')).toMatch(/^# /);
    }
  });

  test('leaves a folder with files alone', async () => {
    const cwd = folderWith({ 'letter.txt': 'dear all' });
    const ran = await vantfell(['new', '.'], { cwd });
    expect([ran.code, ran.err]).toEqual([3, expect.stringContaining('name an empty or a new folder')]);
    expect(readdirSync(cwd)).toEqual(['letter.txt']);
  });
});

describe('add', () => {
  const project = () =>
    folderWith({
      'vantfell.yaml': 'service: { name: Tea, prefix: /v1 }\n',
      'models/shelf.yaml': 'model: shelf\nfields: { name: { type: string } }\n',
    });

  test('writes a model with fields, relations and a place within another, and shows its endpoints', async () => {
    const cwd = project();
    const words = [
      '--field',
      'name: string, required, maxLength 60',
      '--field',
      'kind: enum green | black, default green',
      '--field',
      'price: decimal, minimum 0.5',
      '--field',
      'old: shelf, onDelete clear',
    ];
    const ran = await vantfell(['add', 'tea', '--within', 'shelf', '--description', 'A tea: hot.', ...words], { cwd });
    expect(ran).toMatchObject({ code: 0, err: '' });
    expect(readFileSync(join(cwd, 'models/tea.yaml'), 'utf8')).toBe(`model: tea
description: "A tea: hot."
within: shelf

fields:
  name: { type: string, required: true, maxLength: 60 }
  kind: { enum: [green, black], default: green }
  price: { type: decimal, minimum: 0.5 }

relations:
  old: { to: shelf, onDelete: clear }
`);
    expect(ran.out).toMatch(/GET +\/v1\/shelves\/\{id\}\/teas +list/);
    expect((await vantfell(['check'], { cwd })).code).toBe(0);
  });

  test(
    'an owner that no field names is a relation to those who sign ' + 'in; with migrations it says what comes next',
    async () => {
      const folder = demoFolder();
      const ran = await vantfell(['add', 'parcel', '--field', 'weight_kg: number', '--owner', 'sender', '-C', folder]);
      expect(ran).toMatchObject({ code: 0, out: expect.stringContaining('vantfell migrate draft') });
      expect(readFileSync(join(folder, 'models/parcel.yaml'), 'utf8')).toMatch(
        /owner: sender\n[^]*sender: \{ to: member, required: true \}/,
      );
      expect(ran.out).toMatch(/PATCH +\/v1\/parcels\/\{id\} +update +owner/);
    },
  );

  test('begins a project that has no models yet', async () => {
    const cwd = folderWith({ 'vantfell.yaml': 'service: { name: Tea }\n' });
    expect(await vantfell(['add', 'tea', '--field', 'name: string'], { cwd })).toMatchObject({ code: 0 });
    expect(await vantfell(['check'], { cwd })).toMatchObject({ code: 0 });
  });

  test.each([
    [['add', 'tea', '--field', 'x: strng'], 2, 'did you mean string?'],
    [['add', 'tea', '--field', 'x string'], 2, 'write it as "name: type'],
    [['add', 'tea', '--field', 'x: string, requird'], 2, 'did you mean required?'],
    [['add', 'tea', '--field', 'x: string, minimum 3'], 1, 'a string has no `minimum`'],
    [['add', 'tea', '--within', 'shelff', '--field', 'x: string'], 1, 'did you mean shelf?'],
    [['add', 'tea', '--owner', 'me', '--field', 'x: string'], 1, 'nobody signs in to this service'],
    [['add', 'shelf', '--field', 'x: string'], 1, 'there is a model shelf already'],
    [['add', 'Tea', '--field', 'x: string'], 1, 'a name in the singular'],
    [['add', 'tea'], 2, 'give them as --field'],
  ])('%j is told with the way out, and nothing is written', async (words, code, told) => {
    const cwd = project();
    const ran = await vantfell(words, { cwd });
    expect([ran.code, ran.err]).toEqual([code, expect.stringContaining(told)]);
    expect(readdirSync(join(cwd, 'models'))).toEqual(['shelf.yaml']);
  });

  test('asks for fields at a terminal, one at a time, and again where one is wrong', async () => {
    const cwd = project();
    // `script` (util-linux) is a terminal for whoever runs in it.
    const child = spawn('script', ['-qec', `${process.execPath} ${PROGRAM} add tea`, '/dev/null'], {
      cwd,
      env: { ...process.env, NO_COLOR: '1' },
    });
    const answers = ['name: strng', 'name: string, required', ''];
    let said = '';
    let seen = 0;
    child.stdout.on('data', (chunk: Buffer) => {
      said += chunk.toString().replaceAll(ESCAPES, '');
      if (!/field \d: $/.test(said.slice(seen))) return;
      seen = said.length;
      child.stdin.write(`${answers.shift()}\r`);
    });
    expect(await new Promise((resolve) => child.on('close', resolve))).toBe(0);
    expect(said).toContain('there is no type strng; did you mean string?');
    expect(readFileSync(join(cwd, 'models/tea.yaml'), 'utf8')).toBe(
      'model: tea\n\nfields:\n  name: { type: string, required: true }\n',
    );
  });
});

describe('outline --diagram', () => {
  test('draws every model, relation and owner into one SVG file', async () => {
    const folder = demoFolder();
    const file = join(folder, 'huts.svg');
    const ran = await vantfell(['outline', '-C', folder, '--diagram', file, '--json']);
    expect(JSON.parse(ran.out)).toEqual({ file, models: 11, relations: 14 });
    const svg = readFileSync(file, 'utf8');
    for (const text of ['>supply-draw<', '>altitude_m<', '>owner: hut.warden<', '>amenities<'])
      expect(svg).toContain(text);
    expect(svg).not.toMatch(/NaN|undefined/);
    const again = await vantfell(['outline', '-C', folder, '--diagram', file, '--quiet']);
    expect([again, readFileSync(file, 'utf8')]).toEqual([{ code: 0, out: '', err: '' }, svg]);
  });

  test('writes SVG alone, and where it can', async () => {
    const folder = demoFolder();
    const other = await vantfell(['outline', '-C', folder, '--diagram', 'x.png']);
    expect([other.code, other.err]).toEqual([2, expect.stringContaining('end it in .svg')]);
    const nowhere = await vantfell(['outline', '-C', folder, '--diagram', '/nowhere/x.svg']);
    expect([nowhere.code, nowhere.err]).toEqual([3, expect.stringContaining('name another file with --diagram')]);
  });
});

describe('completion', () => {
  const folder = demoFolder();
  const words = async (...line: string[]): Promise<string[]> =>
    (await vantfell(['--complete', ...line])).out.trim().split('\n');

  test.each([
    [['s'], ['seed', 'send', 'serve']],
    [['trial', '--mo'], ['--model']],
    [
      ['export', ''],
      ['client', 'openapi', 'samples', 'schemas', 'sql', 'types'],
    ],
    [['-C', folder, 'trial', '--model', 'h'], ['hut']],
    [['-C', folder, 'export', 'samples', '--mask', 'member.ph'], ['member.phone']],
    [['-C', folder, 'send', 'GET', '/v1/huts/{id}/c'], ['/v1/huts/{id}/calendar']],
    [['-C', folder, 'token', 'member/i'], ['member/ines']],
    [['-C', folder, 'send', 'GET', '/v1/me', '--as', 'member/to'], ['member/tor']],
    [['-C', '/nowhere', 'trial', '--model', ''], ['']],
  ])('%j may go on with %j', async (line, expected) => {
    expect(await words(...line)).toEqual(expected);
  });

  test('the script for bash is one that bash takes, and completes with', async () => {
    const { out } = await vantfell(['completion', 'bash']);
    const bin = folderWith({
      vantfell: '',
      'complete.sh': `${out}\nCOMP_WORDS=(vantfell migr); COMP_CWORD=1; _vantfell; echo "\${COMPREPLY[@]}"\n`,
    });
    const run = spawn('bash', [
      '-c',
      `vantfell() { ${process.execPath} ${PROGRAM} "$@"; }; source ${join(bin, 'complete.sh')}`,
    ]);
    let said = '';
    run.stdout.on('data', (chunk: Buffer) => (said += chunk.toString()));
    await new Promise((resolve) => run.on('close', resolve));
    expect(said).toBe('migrate\n');
    expect((await vantfell(['completion', 'fsh'])).code).toBe(2);
  });
});

test('--json is one JSON value on standard output, for every command', async () => {
  const folder = demoFolder();
  const lines = [
    ['check'],
    ['outline'],
    ['seed'],
    ['token', 'ines'],
    ['send', 'GET', '/v1/huts'],
    ['explain', 'GET', '/v1/huts'],
    ['migrate', 'status'],
    ['migrate', 'draft'],
    ['migrate', 'run'],
    ['trial', '--model', 'amenity'],
    ['completion', 'zsh'],
    ['export', 'openapi'],
    ['export', 'openapi', '--compare', join(folder, 'old.json')],
    ['export', 'types'],
    ['export', 'client'],
    ['export', 'sql', '--store', 'sqlite'],
    ['export', 'schemas', '--out', join(folder, 'schemas')],
    ['export', 'samples', '--out', join(folder, 'taken')],
    ['add', 'boat', '--field', 'name: string'],
  ];
  expect((await vantfell(['export', 'openapi', '-C', folder, '--out', join(folder, 'old.json')])).code).toBe(0);
  expect(existsSync(join(folder, 'old.json'))).toBe(true);
  for (const line of lines) {
    const ran = await vantfell([...line, '-C', folder, '--json']);
    let value: unknown;
    try {
      value = JSON.parse(ran.out);
    } catch {
      value = ran.out;
    }
    expect({ line, code: ran.code, kind: typeof value }).toEqual({ line, code: 0, kind: 'object' });
  }
});
