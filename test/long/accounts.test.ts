// Accounts as a developer meets them: a starter and a model with an identity, the mailbox, the first administrator.
import { mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, test } from '@jest/globals';
import { ask, folderWith, serving, vantfell } from '../kit/program.ts';

const made = async (...words: readonly string[]): Promise<string> => {
  const cwd = folderWith();
  expect((await vantfell(['new', 'walks', ...words], { cwd })).code).toBe(0);
  return join(cwd, 'walks');
};
const mailOf = (folder: string): string[] => readdirSync(join(folder, '.vantfell/mail')).sort();

test('a starter with an identity is sound, and passes its own trial with an account in it', async () => {
  const folder = await made('--identity');
  const trial = await vantfell(['trial', '-C', folder]);
  expect([trial.code, trial.out]).toEqual([0, expect.stringMatching(/\d{3} passed, 0 failed/)]);
  expect(trial.out).toContain('Whoever signs up proves their address before they write notes');
});

test('messages that no code sends go into a mailbox, which serve mentions and send reads', async () => {
  const folder = await made('--identity');
  expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
  const server = await serving(folder);
  expect(await server.until('Ctrl+C stops it')).toContain('they go into .vantfell/mail');
  const { status } = await ask(`${server.url}/v1/reset`, 'POST', { email: 'odd@walks.example' });
  expect(status).toBe(202);
  // What was asked for is sent before it stops.
  expect(await server.stop()).toBe(0);
  const [name, ...more] = mailOf(folder);
  expect([name, more]).toEqual([expect.stringMatching(/-reset-[0-9a-f]{8}\.eml$/), []]);
  const file = join(folder, '.vantfell/mail', name!);
  expect(statSync(file).mode & 0o777).toBe(0o600);
  const text = readFileSync(file, 'utf8');
  expect(text).toMatch(/^To: <odd@walks\.example>\r$/m);
  const reset = ['send', 'POST', '/v1/reset/secret', '-C', folder];
  const body = (address: string): string =>
    JSON.stringify({ code: `{code/${address}}`, passphrase: 'many stones in a row' });
  const nobody = await vantfell([...reset, body('nobody@walks.example')]);
  expect([nobody.code, nobody.err]).toEqual([1, expect.stringContaining('no message to nobody@walks.example')]);
  const set = await vantfell([...reset, body('Odd@walks.example')]);
  expect([set.code, set.out]).toEqual([0, expect.stringContaining('204')]);
  expect((await vantfell([...reset, body('odd@walks.example')])).out).toContain('422');
});

test('what code of the project sends is not in the mailbox; what it throws is in the log', async () => {
  const folder = await made('--identity');
  mkdirSync(join(folder, 'code'));
  const write = (text: string): void => writeFileSync(join(folder, 'code/member.messages.ts'), text);
  write(`import { messages } from 'vantfell';
import { appendFileSync } from 'node:fs';
export default messages('member', {
  send(kind, to, { code, link, expires }) {
    if (to.startsWith('odd')) throw new Error('the post is shut');
    appendFileSync(${JSON.stringify(join(folder, 'sent.txt'))}, [kind, to, code.length, link, expires > new Date()].join(' ') + '\\n');
  },
});
`);
  expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
  const asked = (email: string) => vantfell(['send', 'POST', '/v1/reset', JSON.stringify({ email }), '-C', folder]);
  expect((await asked('ines@walks.example')).code).toBe(0);
  expect(readFileSync(join(folder, 'sent.txt'), 'utf8')).toBe('reset ines@walks.example 32  true\n');
  const failed = await asked('odd@walks.example');
  expect([failed.code, failed.err]).toEqual([0, expect.stringContaining('the post is shut')]);
  expect(() => mailOf(folder)).toThrow('ENOENT');
  write("import { messages } from 'vantfell';\nexport default messages('member', { sned() {} } as never);\n");
  const wrong = await vantfell(['check', '-C', folder]);
  expect([wrong.code, wrong.out]).toEqual([1, expect.stringContaining('messages have no sned')]);
});

describe('grant', () => {
  test('gives and takes roles, after asking', async () => {
    const folder = await made('--identity');
    expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
    const grant = (...words: readonly string[]) => vantfell(['grant', ...words, '-C', folder]);
    const asked = await grant('odd', 'role:admin');
    expect([asked.code, asked.err]).toEqual([2, expect.stringContaining('odd has no role')]);
    const given = await grant('odd@walks.example', 'role:admin', '--yes', '--json');
    expect([given.code, JSON.parse(given.out)]).toEqual([0, { caller: expect.any(String), roles: ['admin'] }]);
    expect((await grant('member/odd', 'admin')).out).toContain('nothing to do');
    const seen = await vantfell(['send', 'GET', '/v1/members', '--as', 'odd', '--json', '-C', folder]);
    expect((JSON.parse(seen.out) as { body: { data: unknown[] } }).body.data).toHaveLength(2);
    expect((await grant('odd', 'admin', '--revoke', '--yes')).out).toContain('odd has no role');
    const strange = await grant('odd', 'amdin', '--yes');
    expect([strange.code, strange.err]).toEqual([2, expect.stringContaining('known: admin')]);
    expect((await grant('nobody', 'admin', '--yes')).code).toBe(1);
    expect((await grant('odd')).code).toBe(2);
  });

  test('says what is missing where nobody has roles, or nobody signs in', async () => {
    const folder = await made();
    const none = await vantfell(['grant', 'odd', 'admin', '-C', folder]);
    expect([none.code, none.err]).toEqual([1, expect.stringContaining('declare an identity')]);
  });
});

test('add --identity writes a model of those who sign in, and declares it, once', async () => {
  const folder = await made();
  const add = (...words: readonly string[]) => vantfell(['add', ...words, '-C', folder]);
  const first = await add('guest', '--identity', '--field', 'name: string, required');
  expect([first.code, first.out]).toEqual([0, expect.stringContaining('declared guest as the identity')]);
  expect(readFileSync(join(folder, 'vantfell.yaml'), 'utf8')).toMatch(/^identity:\n {2}model: guest$/m);
  expect((await vantfell(['check', '-C', folder])).code).toBe(0);
  expect((await vantfell(['trial', '-C', folder])).code).toBe(0);
  const second = await add('host', '--identity');
  expect([second.code, second.err]).toEqual([1, expect.stringContaining('guests sign in to this service already')]);
  const json = folderWith({ 'vantfell.yaml': '{ "service": { "name": "X" } }' });
  const told = await vantfell(['add', 'member', '--identity', '-C', json]);
  expect([told.code, told.err]).toEqual([1, expect.stringContaining('by hand')]);
});
