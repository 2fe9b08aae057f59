import { copyFileSync, cpSync, existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, expect, test } from '@jest/globals';
import { openTrial } from '../../src/cli/trial/open-trial.ts';
import type { Around, OpenTrial } from '../../src/cli/trial/open-trial.ts';
import { runCase } from '../../src/cli/trial/run-cases.ts';
import { runWalks } from '../../src/cli/trial/run-walk.ts';
import type { Code } from '../../src/core/change/code.ts';
import { loadSamples } from '../../src/core/samples/load.ts';
import { readSamples } from '../../src/core/samples/read.ts';
import type { Service } from '../../src/core/service.ts';
import { readScenarios } from '../../src/core/trial/scenarios.ts';
import { soundCode } from '../../src/project/code.ts';
import { openDatabase } from '../../src/project/database.ts';
import { readProject } from '../../src/project/project.ts';
import type { SoundProject } from '../../src/project/project.ts';
import { readTrialFiles } from '../../src/project/read.ts';
import { readSampleFiles } from '../../src/project/samples.ts';
import { writesOn } from '../../src/project/serve.ts';
import { MUTANTS_OF_OTHERS } from '../kit/mutants-of-others.ts';
import { MUTANTS } from '../kit/mutants.ts';
import type { Mutant } from '../kit/mutants.ts';
import { demoFolder } from '../kit/program.ts';

const PAGE = fileURLToPath(new URL('../../docs/mutants.md', import.meta.url));
const SOUND = fileURLToPath(new URL('../fixtures/sound/', import.meta.url));
const place = mkdtempSync(join(tmpdir(), 'vantfell-mutants-'));
afterAll(() => rmSync(place, { recursive: true }));

interface Prepared {
  readonly project: SoundProject;
  readonly code: Code;
  /** A database with the samples. */
  readonly file: string;
}

const prepared = new Map<string, Promise<Prepared>>();

/** The samples of a project are loaded once: each mutant gets a copy of the file. */
function preparedFor(name: string): Promise<Prepared> {
  let found = prepared.get(name);
  if (found === undefined) prepared.set(name, (found = prepare(name)));
  return found;
}

async function prepare(name: string): Promise<Prepared> {
  const folder = join(place, name);
  cpSync(name === 'demo' ? demoFolder() : join(SOUND, name), folder, { recursive: true });
  const project = readProject(folder) as SoundProject;
  const { graph } = project;
  const code = await soundCode(project);
  const file = join(place, `${name}.db`);
  const { store } = await openDatabase(project, `sqlite:${file}`);
  const { rows } = readSamples(graph, readSampleFiles(folder, graph).sources);
  await loadSamples(graph, store, rows, writesOn(graph, store, code));
  await store.close();
  return { project, code, file };
}

const WALKED = 1_200;

/** What notices a mutant first: a derived case of its model, a walk, or a scenario of its project. */
async function noticedBy(mutant: Mutant): Promise<string | undefined> {
  const { project, code, file } = await preparedFor(mutant.project ?? 'demo');
  const { graph } = project;
  const own = join(place, 'mutant.db');
  for (const end of ['', '-wal', '-shm']) rmSync(own + end, { force: true });
  for (const end of ['', '-wal']) if (existsSync(file + end)) copyFileSync(file + end, own + end);
  const address = `sqlite:${own}`;
  const { store } = await openDatabase(project, address);
  for (const statement of mutant.sql ?? []) await store.alter((alteration) => alteration.script(statement));
  const around: Around = (sound, _everybody, opened) => {
    const isOther = mutant.graph !== undefined || mutant.code !== undefined;
    const other = isOther ? opened(mutant.graph?.(graph) ?? graph, mutant.code?.(code) ?? code) : sound;
    const chosen: Service['handle'] = (request) =>
      (mutant.only === undefined || mutant.only(request) ? other : sound).handle(request);
    return { ...sound, handle: mutant.wrap === undefined ? chosen : mutant.wrap(chosen) };
  };
  const trial = await openTrial(project, code, store, address, around);
  try {
    return await noticedIn(trial, project, mutant);
  } finally {
    await trial.close();
    await store.close();
  }
}

async function noticedIn(trial: OpenTrial, project: SoundProject, mutant: Mutant): Promise<string | undefined> {
  const { graph, folder } = project;
  const { derived, tried, snapshot } = trial;
  const back = async (): Promise<void> => {
    await snapshot.restore();
    tried.foresight?.reset();
  };
  for (const one of derived.cases.filter(({ model }) => model === mutant.model)) {
    const { failure } = await runCase(one, tried);
    if (failure !== undefined) return `${one.model}, ${one.endpoint}: ${one.title}`;
    if (one.steps.some(({ method }) => method !== 'GET')) await back();
  }
  const { outcomes } = await runWalks(trial, graph, { requests: WALKED, random: 5 });
  if (outcomes.some(({ failure }) => failure !== undefined)) return 'a walk';
  for (const one of readScenarios(graph, readTrialFiles(folder), trial.keys).cases) {
    await back();
    const { failure } = await runCase(one, tried);
    if (failure !== undefined) return `the scenario "${one.title}"`;
  }
  return undefined;
}

test.each(['demo', 'harbour', 'herbarium', 'workshop'] as const)('nothing is noticed of %s as it is', async (name) => {
  const project = name === 'demo' ? {} : { project: name };
  expect(await noticedBy({ what: 'nothing', model: name === 'demo' ? 'stay' : 'none', ...project })).toBeUndefined();
});

test('derived cases and walks notice nearly every service that is broken', async () => {
  const found: [Mutant, string | undefined][] = [];
  for (const mutant of [...MUTANTS, ...MUTANTS_OF_OTHERS]) found.push([mutant, await noticedBy(mutant)]);
  const isAlone = (what: string | undefined): boolean => what !== undefined && !what.startsWith('the scenario');
  const noticed = found.filter(([, what]) => isAlone(what)).length;
  const named = found.filter(([, what]) => what !== undefined).length;
  const rows = found.map(
    ([{ what, project = 'demo' }, by]) => `| ${project} | ${what} | ${by?.replaceAll('|', '\\|') ?? '**nothing**'} |`,
  );
  const table = ['| project | what is broken | what notices it first |', '| --- | --- | --- |', ...rows].join('\n');
  const page =
    '# What trials notice\n\nThe services of the demo and of three other projects with one thing broken each, tried ' +
    `with the cases that follow from the declarations and with walks of ${WALKED} requests: ${noticed} of ` +
    `${found.length} are noticed by these alone, and ${named} with the scenarios of the projects. \`npm run ` +
    `test:long\` does it again and holds this page to it.\n\n${table}\n`;
  if (process.env.WRITE_MUTANTS !== undefined) writeFileSync(PAGE, page);
  expect(found.length).toBeGreaterThanOrEqual(120);
  expect(noticed / found.length).toBeGreaterThanOrEqual(0.98);
  expect(plain(readFileSync(PAGE, 'utf8'))).toBe(plain(page));
}, 1_200_000);

/** Without what a formatter does to tables, and keys, tokens and times that are others each time. */
const plain = (text: string): string =>
  text.replaceAll(/[ -]+/g, ' ').replaceAll(/[0-9a-f]{8} [0-9a-f]{4} [0-9a-f ]+/g, 'key');
