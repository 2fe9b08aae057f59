import { cpSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { createServer, request } from 'node:http';
import { connect } from 'node:net';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { describe, expect, test } from '@jest/globals';
import { ask, demoFolder, folderWith, serving, tokenFor, vantfell } from '../kit/program.ts';

describe('the command line', () => {
  test('--help lists every command, and a command tells of itself with examples', async () => {
    const help = await vantfell(['--help']);
    expect(help.code).toBe(0);
    for (const name of ['demo', 'check', 'outline', 'serve', 'seed', 'trial', 'export']) {
      expect(help.out).toMatch(new RegExp(`^  ${name}\\b`, 'm'));
      const own = await vantfell([name, '--help']);
      expect(own.code).toBe(0);
      expect(own.out).toContain('Examples:');
    }
  });

  test.each([
    [[], 'a command is missing', 'vantfell --help'],
    [['-C', '.'], 'a command is missing', 'vantfell --help'],
    [['chek'], 'there is no command chek', 'did you mean check?'],
    [['check', '--jsn'], 'check does not take the option --jsn', 'did you mean --json?'],
    [['serve', '--prot', '80'], 'serve does not take the option --prot', 'did you mean --port?'],
    [['check', 'huts'], 'check does not take huts', '--help'],
    [['serve', '--port', '70000'], '--port must be a whole number', 'another port'],
    [['serve', '--port'], 'not enough arguments following: port', '--help'],
    [['export'], 'this command needs another word', '--help'],
    [['export', 'opnapi'], 'what can not be "opnapi"', 'known: openapi'],
    [['trial', '-C', demoFolder(), '--model', 'huts'], 'there is no model huts', 'did you mean hut?'],
    [['trial', '-C', demoFolder(), '--only', 'nothing of this kind'], 'no case was chosen', '--only'],
  ])('a wrong command line %j is told with the way out, exit 2', async (words, what, remedy) => {
    const ran = await vantfell(words);
    expect(ran).toMatchObject({ code: 2, out: '' });
    expect(ran.err).toContain(`vantfell: ${what}`);
    expect(ran.err).toContain('→');
    expect(ran.err).toContain(remedy);
  });

  test('a missing folder and a folder without a project: exit 3', async () => {
    const missing = await vantfell(['check', '-C', '/no/such/folder']);
    expect(missing).toMatchObject({ code: 3 });
    expect(missing.err).toContain('there is no folder /no/such/folder');
    const empty = await vantfell(['check', '-C', folderWith()]);
    expect(empty).toMatchObject({ code: 3 });
    expect(empty.err).toContain('it has no vantfell.yaml');
  });

  test('with --json an error is one JSON value on standard output', async () => {
    const ran = await vantfell(['check', '-C', '/no/such/folder', '--json']);
    expect(JSON.parse(ran.out)).toEqual({ error: { message: expect.any(String), remedy: expect.any(String) } });
  });
});

describe('check', () => {
  test('the demo is sound', async () => {
    const ran = await vantfell(['check', '-C', demoFolder()]);
    expect(ran).toMatchObject({ code: 0, err: '' });
    expect(ran.out).toBe('sound: Fell Huts, 11 models, 79 endpoints\n');
  });

  test('every problem is shown at once, each with its place marked and a remedy', async () => {
    const folder = folderWith({
      'vantfell.yaml': 'service: { name: Broken, prefix: v1 }\n',
      'models/hut.yaml':
        'model: hut\nfields:\n  beds: { type: integr, minimun: 1 }\nrelations:\n  keeper: { to: membr }\n',
      'models/member.yaml': 'model: member\nsort: nam\nfields:\n  name: { type: string }\n',
    });
    const ran = await vantfell(['check', '-C', folder]);
    expect(ran.code).toBe(1);
    expect(ran.out).toMatchInlineSnapshot(`
     "models/hut.yaml:3:17  unknown-word
       \`type\` can not be "integr"
         2 | fields:
       > 3 |   beds: { type: integr, minimun: 1 }
           |                 ^^^^^^
         4 | relations:
       → did you mean integer?

     models/hut.yaml:3:25  unknown-key
       a field has no \`minimun\`
         2 | fields:
       > 3 |   beds: { type: integr, minimun: 1 }
           |                         ^^^^^^^
         4 | relations:
       → did you mean minimum?

     models/hut.yaml:5:17  unknown-model
       there is no model membr
         4 | relations:
       > 5 |   keeper: { to: membr }
           |                 ^^^^^
         6 |
       → did you mean member?

     models/member.yaml:2:7  unknown-field
       member has no field or relation \`nam\`
         1 | model: member
       > 2 | sort: nam
           |       ^^^
         3 | fields:
       → did you mean name?

     vantfell.yaml:1:34  wrong-kind
       \`prefix\` must be segments like /v1, or an empty text, got "v1"
       > 1 | service: { name: Broken, prefix: v1 }
           |                                  ^^
         2 |
       → write segments like /v1, or an empty text

     5 errors in 3 files
     "
    `);
  });

  test('problems as JSON have their file, line and column', async () => {
    const folder = folderWith({ 'vantfell.yaml': 'service: { name: X }\nstor: y\n', 'models/a.yaml': 'model: a\n' });
    const { code, out } = await vantfell(['check', '-C', folder, '--json']);
    expect(code).toBe(1);
    expect(JSON.parse(out)).toMatchObject({
      sound: false,
      problems: [
        { code: 'unknown-key', place: { file: 'vantfell.yaml', line: 2, column: 1 }, remedy: 'did you mean store?' },
      ],
    });
  });

  test('a mistake in a scenario is told with its place', async () => {
    const folder = demoFolder();
    cpSync(
      folderWith({ 'trials/race.yaml': 'trial: A race\nas: member/inez\nsteps: [{ send: GET /v1/huts }]\n' }),
      folder,
      { recursive: true },
    );
    const ran = await vantfell(['check', '-C', folder]);
    expect(ran.code).toBe(1);
    expect(ran.out).toContain('trials/race.yaml:2:5  unknown-record\n  there is no sample member/inez');
    expect(ran.out).toContain('did you mean member/ines?');
  });
});

describe('outline and export', () => {
  test('outline shows each model with its fields and endpoints', async () => {
    const folder = demoFolder();
    const { code, out } = await vantfell(['outline', '-C', folder]);
    expect(code).toBe(0);
    expect(out).toMatch(/^ {2}beds +integer +required, 1 to 120$/m);
    expect(out).toMatch(/^ {2}GET +\/v1\/huts\/\{id\}\/nights +list +may read its hut/m);
    const asJson = JSON.parse((await vantfell(['outline', '-C', folder, '--json'])).out) as {
      models: { name: string }[];
    };
    expect(asJson.models).toHaveLength(11);
    expect(asJson.models.map(({ name }) => name).slice(0, 4)).toEqual(['amenity', 'member', 'hut', 'night']);
  });

  test('export openapi writes the same bytes each time, to a file or to standard output', async () => {
    const folder = demoFolder();
    const file = join(folder, 'openapi.json');
    expect(await vantfell(['export', 'openapi', '-C', folder, '--out', file])).toMatchObject({ code: 0, out: '' });
    const { out } = await vantfell(['export', 'openapi', '-C', folder]);
    expect(out).toBe(readFileSync(file, 'utf8'));
    const refused = await vantfell(['export', 'openapi', '-C', folder, '--out', join(folder, 'no/such/file')]);
    expect(refused).toMatchObject({ code: 3 });
  });
});

describe('serve', () => {
  test('greets, answers, finishes an open request at SIGTERM and exits with 0', async () => {
    const folder = demoFolder();
    const server = await serving(folder);
    expect((await ask(`${server.url}/v1/huts`)).status).toBe(200);
    expect(server.said()).toContain('ran 0001-first-tables');
    expect(server.said()).toContain('sign in with email and passphrase at POST /v1/tokens');
    expect(statSync(join(folder, '.vantfell/key')).mode & 0o777).toBe(0o600);

    expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
    const authorization = `Bearer ${await tokenFor(folder, 'ines')}`;
    const headers = { authorization, 'content-type': 'application/json', expect: '100-continue' };
    const open = request(`${server.url}/v1/huts`, { method: 'POST', headers });
    const answered = new Promise<number | undefined>((resolve, reject) => {
      open.on('response', (response) => resolve(response.resume().statusCode)).on('error', reject);
    });
    open.flushHeaders();
    await new Promise((resolve) => open.on('continue', resolve));
    const ended = server.stop();
    // The server takes nothing new, and waits for the body that it was promised.
    await refused(server.url);
    open.end(JSON.stringify({ name: 'Late Hut', slug: 'late', valley: 'Sulvik', beds: 3, altitude_m: 9 }));
    expect(await answered).toBe(201);
    expect(await ended).toBe(0);
  });

  test('with --drain it is not ready from the signal on, and goes on for that long', async () => {
    const server = await serving(demoFolder(), ['--drain', '2s']);
    const ready = async (): Promise<number> => (await ask(`${server.url}/health/ready`)).status;
    expect(await ready()).toBe(200);
    const begun = performance.now();
    const [ended, said] = [server.stop(), server.more()];
    await said;
    expect(server.said()).toContain('stopping in 2 s');
    expect(await ready()).toBe(503);
    const answer = await fetch(`${server.url}/v1/huts?limit=1`);
    expect([answer.status, answer.headers.get('connection')]).toEqual([200, 'close']);
    expect((await ask(`${server.url}/health/live`)).status).toBe(200);
    expect(await ended).toBe(0);
    expect(performance.now() - begun).toBeGreaterThan(1_900);
    expect(await vantfell(['serve', '-C', demoFolder(), '--drain', 'long'])).toMatchObject({ code: 2 });
  });

  test('.env sets what the environment has not, and is named without its values', async () => {
    const folder = demoFolder();
    const service = join(folder, 'vantfell.yaml');
    const declared = readFileSync(service, 'utf8').replace('name: Fell Huts', "name: '${HUTS_NAME}'");
    writeFileSync(service, declared.replace('version: 1.0.0', "version: '${HUTS_VERSION}'"));
    const variables = '# of this machine\nHUTS_NAME="Huts\nof the fell"\nHUTS_VERSION=2.0.0\n';
    writeFileSync(join(folder, '.env'), variables);
    const shown = await vantfell(['export', 'openapi', '-C', folder], { env: { HUTS_VERSION: '3.0.0' } });
    expect(JSON.parse(shown.out)).toMatchObject({ info: { title: 'Huts\nof the fell', version: '3.0.0' } });
    const server = await serving(folder, ['--watch']);
    await server.until('Ctrl+C');
    expect(server.said()).toMatch(/\.env +HUTS_NAME, HUTS_VERSION\n/);
    expect((await ask(`${server.url}/`)).body.data.version).toBe('2.0.0');
    writeFileSync(join(folder, '.env'), variables.replace('2.0.0', '2.1.0'));
    await server.until('changed .env');
    expect((await ask(`${server.url}/`)).body.data.version).toBe('2.1.0');
    writeFileSync(join(folder, '.env'), `${variables}HUTS NAME: no\n`);
    const refused = await vantfell(['check', '-C', folder]);
    expect([refused.code, refused.err]).toEqual([1, expect.stringContaining('.env:5 is no variable')]);
  });

  test('a taken port: exit 3, and which', async () => {
    const other = createServer();
    await new Promise<void>((resolve) => other.listen(0, '127.0.0.1', resolve));
    const { port } = other.address() as AddressInfo;
    const ran = await vantfell(['serve', '-C', demoFolder(), '--port', String(port)]);
    other.close();
    expect(ran.code).toBe(3);
    expect(ran.err).toContain(`port ${port} at 127.0.0.1 is taken`);
    expect(ran.err).toContain('--port 0');
  });

  test('for other machines it wants a declared key', async () => {
    const ran = await vantfell(['serve', '-C', demoFolder(), '--host', '0.0.0.0', '--port', '0']);
    expect(ran.code).toBe(1);
    expect(ran.err).toContain('needs a key of its own');
  });

  test('a file that is no database: exit 3, and the file is left alone', async () => {
    const text = 'this is no database, but somebody may want to keep it\n'.repeat(40);
    const folder = folderWith({
      'vantfell.yaml': 'service: { name: X }\nstore: sqlite:notes.txt\n',
      'models/a.yaml': 'model: a\nfields: { name: { type: string } }\n',
      'notes.txt': text,
    });
    const ran = await vantfell(['serve', '-C', folder, '--port', '0']);
    expect(ran.code).toBe(3);
    expect(ran.err).toContain('can not be used');
    expect(readFileSync(join(folder, 'notes.txt'), 'utf8')).toBe(text);
  });

  test('a database follows models that grow, and asks where values would be lost', async () => {
    const folder = folderWith({
      'vantfell.yaml': 'service: { name: X }\nstore: sqlite:x.db\n',
      'models/a.yaml': 'model: shelf\nfields: { name: { type: string } }\n',
      'samples/shelf.yaml': 'one: { name: One }\n',
    });
    const model = (text: string) => writeFileSync(join(folder, 'models/a.yaml'), text);
    expect((await vantfell(['seed', '-C', folder])).err).toContain('made 1 table');
    model('model: shelf\nfields: { name: { type: string }, width: { type: integer } }\nindex: [[name]]\n');
    expect((await vantfell(['seed', '-C', folder])).err).toContain('shelf.width: new, integer');
    model('model: shelf\nfields: { width: { type: decimal }, height: { type: integer, required: true } }\n');
    writeFileSync(join(folder, 'samples/shelf.yaml'), 'one: { height: 3 }\n');
    const stopped = await vantfell(['seed', '-C', folder]);
    expect(stopped.code).toBe(1);
    expect(stopped.err).toContain('shelf.height: new, required integer; 1 row has no value for it, which stops it');
    model('model: shelf\nfields: { width: { type: decimal }, height: { type: integer } }\n');
    const asked = await vantfell(['seed', '-C', folder]);
    expect(asked.code).toBe(2);
    expect(asked.err).toContain('shelf.name: goes; loses 1 value');
    const agreed = await vantfell(['seed', '-C', folder, '--yes']);
    expect(agreed.code).toBe(0);
    expect(agreed.err).toContain('shelf.width: integer becomes decimal with 2 digits after the point');
  });
});

/** Resolves when nobody listens at an address any more. */
async function refused(url: string): Promise<void> {
  const { hostname, port } = new URL(url);
  for (;;) {
    const socket = connect(Number(port), hostname);
    const taken = await new Promise<boolean>((resolve) =>
      socket.on('connect', () => resolve(true)).on('error', () => resolve(false)),
    );
    socket.destroy();
    if (!taken) return;
  }
}
