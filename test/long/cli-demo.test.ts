import { cpSync, existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, test } from '@jest/globals';
import { demoFolder, folderWith, vantfell } from '../kit/program.ts';

describe('demo and trial', () => {
  test('demo leaves a folder with other files alone', async () => {
    const cwd = folderWith({ 'fell-huts/letter.txt': 'dear all' });
    const ran = await vantfell(['demo'], { cwd });
    expect(ran.code).toBe(3);
    expect(ran.err).toContain('fell-huts holds other files');
    expect(readFileSync(join(cwd, 'fell-huts/letter.txt'), 'utf8')).toBe('dear all');
  });

  test('demo fails where anything in it fails', async () => {
    const cwd = folderWith();
    cpSync(demoFolder(), join(cwd, 'fell-huts'), { recursive: true });
    writeFileSync(join(cwd, 'fell-huts/samples/huts.yaml'), 'grey-hut: { name: X }\n');
    const ran = await vantfell(['demo'], { cwd });
    expect(ran.code).toBe(1);
    expect(ran.err).toContain('nothing was loaded');
  });

  test('its migrations are those of its models', async () => {
    const ran = await vantfell(['migrate', 'draft', '-C', demoFolder()]);
    expect([ran.code, ran.out]).toEqual([0, 'nothing to draft: the models are as the last migration left them\n']);
  });

  test('to look at its empty database leaves it to the command that fills it', async () => {
    const folder = demoFolder();
    const looked = await vantfell(['migrate', 'status', '-C', folder]);
    expect(looked.out).toMatch(/0001-first-tables +waits/);
    const seeded = await vantfell(['seed', '-C', folder]);
    expect([seeded.code, seeded.err]).toEqual([0, expect.stringContaining('ran 0001-first-tables')]);
  });

  test('a young project can be looked at before it has a database', async () => {
    const folder = folderWith({ 'vantfell.yaml': 'service: { name: X }\n', 'models/a.yaml': 'model: a\n' });
    const looked = await vantfell(['migrate', 'status', '-C', folder]);
    expect([looked.code, looked.out]).toEqual([0, expect.stringContaining('the database follows the models')]);
    expect(await vantfell(['migrate', 'draft', '-C', folder])).toMatchObject({ code: 0 });
  });

  test('trial leaves the own database alone, and can be narrowed', async () => {
    const folder = demoFolder();
    const ran = await vantfell(['trial', '-C', folder, '--model', 'hut', '--only', 'minimum', '--json']);
    expect(ran.code).toBe(0);
    expect(JSON.parse(ran.out)).toMatchObject({ failed: 0, skipped: [] });
    expect((JSON.parse(ran.out) as { passed: number }).passed).toBeGreaterThan(3);
    expect(existsSync(join(folder, 'data'))).toBe(false);
  });
});
