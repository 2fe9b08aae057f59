import { cpSync, existsSync, mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, expect, test } from '@jest/globals';
import { openTrial } from '../../src/cli/trial/open-trial.ts';
import { runWalks } from '../../src/cli/trial/run-walk.ts';
import type { Outcome } from '../../src/core/trial/report/outcome.ts';
import { soundCode } from '../../src/project/code.ts';
import { openDatabase } from '../../src/project/database.ts';
import { readProject } from '../../src/project/project.ts';
import type { SoundProject } from '../../src/project/project.ts';
import { demoFolder, vantfell } from '../kit/program.ts';

const SOUND = fileURLToPath(new URL('../fixtures/sound/', import.meta.url));
const place = mkdtempSync(join(tmpdir(), 'vantfell-walks-'));
afterAll(() => rmSync(place, { recursive: true }));

function copyOf(name: string): string {
  const folder = join(place, name);
  if (!existsSync(folder)) cpSync(name === 'demo' ? demoFolder() : join(SOUND, name), folder, { recursive: true });
  return folder;
}

interface Result {
  readonly passed: number;
  readonly failed: number;
  readonly notEstablished: readonly { readonly title: string; readonly reason: string }[];
  readonly failures: readonly { readonly title: string; readonly before?: unknown[]; readonly faults: unknown[] }[];
}

test.each(['harbour', 'herbarium', 'workshop', 'cellar'])('a trial of %s is right in every case', async (name) => {
  const { code, out } = await vantfell(['trial', '-C', copyOf(name), '--json']);
  const { failed, failures, notEstablished, passed } = JSON.parse(out) as Result;
  expect([failures, failed, code]).toEqual([[], 0, 0]);
  expect(passed).toBeGreaterThan(800);
  expect(notEstablished.length).toBeLessThan(8);
  for (const { title, reason } of notEstablished) expect([title, reason]).toEqual([title, expect.stringMatching(/../)]);
});

test.each(['demo', 'harbour', 'herbarium', 'workshop', 'cellar'])(
  '8 000 requests through %s are answered as the oracle says',
  async (name) => {
    const { code, out, err } = await vantfell(['trial', '-C', copyOf(name), '--walk', '8000', '--json']);
    const { failed, failures } = JSON.parse(out) as Result;
    // Each failure in one line, below the number that leads to it: a log may show the first lines alone.
    const told = failures.map((failure) => JSON.stringify(failure));
    expect([...(told.length === 0 ? [] : [err, ...told]), failed, code]).toEqual([0, 0]);
  },
);

/** Once a third order was made, one changed and one deleted, the next family gets another rank. */
const PLANTED =
  'CREATE TRIGGER wrong AFTER INSERT ON families WHEN (SELECT count(*) > 2 FROM vantfell_journal ' +
  "WHERE model = 'order' AND action = 'create') AND (SELECT count(DISTINCT action) = 3 FROM vantfell_journal " +
  "WHERE model = 'order') BEGIN UPDATE families SET rank = NEW.rank + 1000 WHERE latin = NEW.latin; END";

test('a defect that takes four requests is found by a walk, and shrunk to those four', async () => {
  const project = readProject(copyOf('herbarium')) as SoundProject;
  const address = `sqlite:${join(place, 'planted.db')}`;
  const { store } = await openDatabase(project, address);
  await store.alter((alteration) => alteration.script(PLANTED));
  const trial = await openTrial(project, await soundCode(project), store, address);
  try {
    const { outcomes } = await runWalks(trial, project.graph, { requests: 4_000, random: 3 });
    // Some come to it by a longer way, of which nothing can be left out either.
    const found = outcomes.filter(({ failure }) => failure !== undefined);
    const [failed] = found.sort((one, other) => one.case.steps.length - other.case.steps.length) as [Outcome];
    const sent = failed.case.steps.map(({ method, path }) => `${method} ${path.replace(/\{.*\}/, 'it')}`);
    expect(sent).toHaveLength(4);
    expect(sent.at(-1)).toBe('POST /api/families');
    expect(sent.slice(0, -1)).toEqual(
      expect.arrayContaining([
        'POST /api/orders',
        expect.stringMatching(/^(PATCH|PUT) \/api\/orders\//),
        expect.stringMatching(/^DELETE /),
      ]),
    );
    expect(failed.failure!.before).toHaveLength(3);
  } finally {
    await trial.close();
    await store.close();
  }
});

test('a walk that fails is kept as a scenario, which fails in the same way', async () => {
  const folder = copyOf('workshop');
  const hooks =
    "import { hooks } from 'vantfell';\n\nexport default hooks('tool', {\n  beforeUpdate() {\n" +
    "    throw new TypeError('the lathe is stuck');\n  },\n});\n";
  writeFileSync(join(folder, 'code', 'tool.hooks.ts'), hooks);
  const walked = await vantfell(['trial', '-C', folder, '--walk', '2000', '--random', '2', '--keep', '--json']);
  const [first] = (JSON.parse(walked.out) as Result).failures;
  expect([walked.code, first!.before]).toEqual([1, []]);
  expect(JSON.stringify(first!.faults)).toContain('the lathe is stuck at code/tool.hooks.ts:5:11');
  expect(walked.err).toContain('wrote trials/walk-2-1.yaml');
  const again = await vantfell(['trial', '-C', folder, '--only', 'of --random 2', '--json']);
  const result = JSON.parse(again.out) as Result;
  expect([result.failures[0]!.title, again.code]).toEqual([first!.title, 1]);
  expect(result.failed).toBe(readdirSync(join(folder, 'trials')).filter((name) => name.startsWith('walk')).length);
});
