import { copyFileSync, existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { runCase } from '../../src/cli/trial/run-cases.ts';
import { stageOf } from '../../src/cli/trial/stage.ts';
import type { Stage } from '../../src/cli/trial/stage.ts';
import type { Code } from '../../src/core/change/code.ts';
import { openApi } from '../../src/core/document/openapi.ts';
import type { Graph } from '../../src/core/model/graph.ts';
import { loadSamples } from '../../src/core/samples/load.ts';
import { readSamples } from '../../src/core/samples/read.ts';
import type { Service } from '../../src/core/service.ts';
import type { Case } from '../../src/core/trial/case.ts';
import { makeDocumentJudge } from '../../src/core/trial/document-judge.ts';
import { soundCode } from '../../src/project/code.ts';
import { openDatabase } from '../../src/project/database.ts';
import { readProject } from '../../src/project/project.ts';
import type { SoundProject } from '../../src/project/project.ts';
import { readSampleFiles } from '../../src/project/samples.ts';
import { serviceOn, writesOn } from '../../src/project/serve.ts';
import { startServer } from '../../src/server/server.ts';
import { copyRows } from '../../src/store/row-copy.ts';
import { MUTANTS } from '../kit/mutants.ts';
import type { Mutant } from '../kit/mutants.ts';
import { demoFolder } from '../kit/program.ts';

const PAGE = fileURLToPath(new URL('../../docs/mutants.md', import.meta.url));
const KEY = ['k'.repeat(32)];
const place = mkdtempSync(join(tmpdir(), 'vantfell-mutants-'));
const project = readProject(demoFolder()) as SoundProject;
const { graph } = project;
const document = makeDocumentJudge(openApi(graph));
let code: Code;
let stage: Stage;

/** The samples are loaded once, and the cases derived once: each mutant gets a copy of the file. */
beforeAll(async () => {
  code = await soundCode(project);
  const { store } = await openDatabase(project, `sqlite:${join(place, 'sound.db')}`);
  await loadSamples(
    graph,
    store,
    readSamples(graph, readSampleFiles(project.folder, graph).sources).rows,
    writesOn(graph, store, code),
  );
  stage = await stageOf(
    project,
    serviceOn(graph, store, KEY, () => undefined),
    store,
  );
  await store.close();
}, 60_000);
afterAll(() => rmSync(place, { recursive: true }));

/** The first derived case that notices a mutant; undefined where none of its model's does. */
async function noticedBy(mutant: Mutant): Promise<Case | undefined> {
  const file = join(place, 'mutant.db');
  for (const end of ['', '-wal', '-shm']) rmSync(file + end, { force: true });
  for (const end of ['', '-wal'])
    if (existsSync(join(place, 'sound.db') + end)) copyFileSync(join(place, 'sound.db') + end, file + end);
  const { store } = await openDatabase(project, `sqlite:${file}`);
  for (const statement of mutant.sql ?? []) await store.alter((alteration) => alteration.script(statement));
  const opened = (by: Graph, everybody: boolean, its = code): Service =>
    serviceOn(by, store, KEY, () => undefined, { code: its, quiet: true, everybody });
  const broken = (everybody: boolean): Service => {
    const sound = opened(graph, everybody);
    const other = opened(mutant.graph?.(graph) ?? graph, everybody, mutant.code?.(code) ?? code);
    const chosen: Service['handle'] = (request) =>
      (mutant.only === undefined || mutant.only(request) ? other : sound).handle(request);
    return { ...sound, handle: mutant.wrap === undefined ? chosen : mutant.wrap(chosen) };
  };
  const snapshot = await copyRows(store);
  const at = { host: '127.0.0.1', port: 0, largestBody: 1_000_000 };
  const [own, open] = [await startServer(broken(false), at), await startServer(broken(true), at)];
  const tried = {
    own: own.url,
    open: open.url,
    limited: own.url,
    tokenOf: (name: string) => stage.tokens.get(name),
    document,
  };
  try {
    for (const one of stage.derived.cases.filter(({ model }) => model === mutant.model)) {
      const { failure } = await runCase(one, tried);
      if (failure !== undefined) return one;
      if (one.steps.some(({ method }) => method !== 'GET')) await snapshot.restore();
    }
    return undefined;
  } finally {
    await Promise.all([own.close(), open.close()]);
    await store.close();
  }
}

test('derived cases alone notice nearly every service that is broken', async () => {
  expect(await noticedBy({ what: 'nothing', model: 'stay' })).toBeUndefined();
  const found: [Mutant, Case | undefined][] = [];
  for (const mutant of MUTANTS) found.push([mutant, await noticedBy(mutant)]);
  const noticed = found.filter(([, one]) => one !== undefined).length;
  const rows = found.map(
    ([{ what, model }, one]) =>
      `| ${what} | ` +
      `${one === undefined ? '**nothing**' : `${model}, ${one.endpoint}: ${one.title.replaceAll('|', '\\|')}`} ` +
      '|',
  );
  const table = ['| what is broken | what notices it first |', '| --- | --- |', ...rows].join('\n');
  const page =
    '# What derived cases notice\n\nThe service of the demo with one thing broken each, tried with the ' +
    `cases that follow from its declarations alone: ${noticed} of ${found.length} are noticed. \`npm ` +
    'run test:long` does it again and holds this page to it.\n' +
    `\n${table}\n`;
  if (process.env.WRITE_MUTANTS !== undefined) writeFileSync(PAGE, page);
  expect(found.length).toBeGreaterThanOrEqual(40);
  expect(noticed / found.length).toBeGreaterThanOrEqual(0.95);
  expect(plain(readFileSync(PAGE, 'utf8'))).toBe(plain(page));
});

/** Without what a formatter does to tables, and keys that are others each time. */
const plain = (text: string): string =>
  text.replaceAll(/[ -]+/g, ' ').replaceAll(/[0-9a-f]{8} [0-9a-f]{4} [0-9a-f ]+/g, 'key');
