import { randomInt } from 'node:crypto';
import { existsSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import type { ScopeModel } from '../../core/change/scope.ts';
import type { UnitOfWork } from '../../core/change/unit-of-work.ts';
import type { Graph } from '../../core/model/graph.ts';
import type { FieldValue } from '../../core/model/scalar.ts';
import { checkSamples } from '../../core/samples/check.ts';
import { samplesOf } from '../../core/samples/from-records.ts';
import type { Records, Samples, Taken } from '../../core/samples/from-records.ts';
import { masksOf, NoMask } from '../../core/samples/mask.ts';
import type { Masks } from '../../core/samples/mask.ts';
import { modelOfFile, readSamples } from '../../core/samples/read.ts';
import { keyTextOf } from '../../core/search/records.ts';
import type { Row } from '../../core/search/records.ts';
import type { Source } from '../../core/declaration/declared.ts';
import { EXIT, Failure } from '../../project/failure.ts';
import { handlesIn } from '../../project/handles.ts';
import { runtime } from '../../project/project.ts';
import { shownPath } from '../../project/shown-path.ts';
import { writesOn } from '../../project/serve.ts';
import type { Context } from '../command.ts';
import { makeGiven, writeGiven } from '../files.ts';
import { loadProject } from '../load-project.ts';
import type { LoadedProject } from '../load-project.ts';
import { openWithAnswers } from '../resolve-questions.ts';
import { itemsOf, onALine, yamlText } from '../yaml-text.ts';
import { problemsText } from '../terminal/problems.ts';
import { table } from '../terminal/table.ts';
import { grouped } from '../terminal/terminal.ts';

const MOST_RANDOM = 1_000_000;
/** Keys that are asked for at once. */
const AT_ONCE = 200;

export interface SamplesAsked {
  readonly rows: number;
  readonly mask: readonly string[];
  /** The folder; left out: that of the project's samples. */
  readonly out: string | undefined;
}

/** Writes records of the database as sample files, with all that they refer to. */
export async function exportSamples(context: Context, asked: SamplesAsked): Promise<number> {
  const project = await loadProject(context);
  const { graph } = project;
  const masks = refusing(() => masksOf(graph, asked.mask, randomInt(MOST_RANDOM)));
  const folder = asked.out ?? join(context.folder, 'samples');
  const files = new Map(graph.models.map(({ name, plural }) => [name, join(folder, `${plural}.yaml`)]));
  refuseStanding(graph, folder);
  const records = await recordsIn(context, project, asked.rows);
  const now = runtime.now();
  const taken = refusing(() => samplesOf(graph, records, masks, { now, caller: null }));
  const sources = written(taken, files, folder);
  const { rows, problems } = readSamples(graph, sources);
  const broken = [...problems, ...(await checkSamples(graph, rows, now))];
  show(context, graph, { taken, masks, files });
  if (broken.length === 0) return EXIT.done;
  context.terminal.warn(problemsText(broken, sources, context.terminal.tint));
  context.terminal.warn(
    'the database has records that the rules of the models refuse: mend the files before they are loaded',
  );
  return EXIT.foundWrong;
}

function refusing<Result>(work: () => Result): Result {
  try {
    return work();
  } catch (error) {
    if (error instanceof NoMask) throw new Failure(EXIT.wrongCommand, error.message, error.remedy);
    throw error;
  }
}

/** Samples beside those that are there would be loaded with them. */
function refuseStanding(graph: Graph, folder: string): void {
  const standing = existsSync(folder) ? readdirSync(folder).find((file) => modelOfFile(graph, file)) : undefined;
  if (standing === undefined) return;
  const message = `${shownPath(join(folder, standing))} is there already`;
  throw new Failure(EXIT.foundWrong, message, 'name another folder with --out, or move it away');
}

/** The first records of each model, and those that they refer to, however far. */
async function recordsIn(context: Context, project: LoadedProject, most: number): Promise<Records> {
  const { graph } = project;
  const store = await openWithAnswers(context, project);
  try {
    const writes = writesOn(graph, store, project.loaded, runtime);
    const reading = (work: UnitOfWork): Promise<Map<string, Row[]>> => {
      const scope = writes.scopeOf(work);
      return withReferred(graph, (name) => scope.model(name), most);
    };
    const rows = await writes.run(null, reading, { unlimited: true });
    return { rows, known: await handlesIn(graph, store) };
  } finally {
    await store.close();
  }
}

async function withReferred(
  graph: Graph,
  modelOf: (name: string) => Pick<ScopeModel, 'find'>,
  most: number,
): Promise<Map<string, Row[]>> {
  const found = new Map(graph.models.map(({ name }) => [name, new Map<string, Row>()]));
  const wanted: { model: string; keys: FieldValue[] }[] = [];
  const take = (model: string, rows: readonly Row[]): void => {
    const { key, relations } = graph.byName.get(model)!;
    const fresh = rows.filter((row) => !found.get(model)!.has(keyTextOf(row[key.member])));
    for (const row of fresh) found.get(model)!.set(keyTextOf(row[key.member]), row);
    for (const { field, target } of relations) {
      const keys = new Map(fresh.map((row) => [keyTextOf(row[field.member]), row[field.member] ?? null]));
      wanted.push({ model: target, keys: [...keys.values()].filter((value) => value !== null) });
    }
  };
  for (const { name, key } of graph.models) take(name, await modelOf(name).find({}, { limit: most, sort: key.member }));
  for (let next = wanted.pop(); next !== undefined; next = wanted.pop()) {
    const { model, keys } = next;
    const missing = keys.filter((key) => !found.get(model)!.has(keyTextOf(key)));
    for (let from = 0; from < missing.length; from += AT_ONCE) {
      const some = missing.slice(from, from + AT_ONCE);
      const { member } = graph.byName.get(model)!.key;
      take(model, await modelOf(model).find({ [member]: some }, { limit: some.length }));
    }
  }
  return new Map([...found].map(([model, rows]) => [model, [...rows.values()]]));
}

/** Writes the files of those models that have any. */
function written({ samples }: Taken, files: ReadonlyMap<string, string>, folder: string): Source[] {
  const some = [...samples].filter(([, of]) => of.size > 0);
  if (some.length === 0) return [];
  makeGiven(folder, REMEDY);
  return some.map(([model, of]) => {
    const [file, text] = [files.get(model)!, sampleText(of)];
    writeGiven(file, text, REMEDY);
    return { file, text };
  });
}

const REMEDY = 'name another with --out';

/** A record a line, as far as it is short. */
function sampleText(samples: Samples): string {
  return yamlText(Object.fromEntries(samples), ({ contents }) => itemsOf(contents).forEach(onALine));
}

function show(
  { terminal }: Context,
  graph: Graph,
  { taken, masks, files }: { taken: Taken; masks: Masks; files: ReadonlyMap<string, string> },
): void {
  const { samples, cut, secrets, leftOut } = taken;
  const some = graph.models.filter(({ name }) => samples.get(name)!.size > 0);
  terminal.value({
    written: some.map(({ name }) => ({ file: files.get(name), model: name, records: samples.get(name)!.size })),
    cutLinks: Object.fromEntries(cut),
    madeUp: Object.fromEntries(secrets),
    leftOut,
    masked: masks.named,
  });
  if (some.length === 0) return terminal.show('the database has no records: nothing was written');
  terminal.show(
    table(
      [['file', 'records'], ...some.map(({ name }) => [shownPath(files.get(name)!), grouped(samples.get(name)!.size)])],
      [1],
    ),
  );
  for (const name of masks.named) terminal.say(`${name}: made up`);
  for (const { name, fields } of graph.models)
    for (const { member, derivedFrom } of fields)
      if (masks.named.includes(`${name}.${derivedFrom}`) && !masks.named.includes(`${name}.${member}`))
        terminal.warn(`${name}.${member} is made of ${name}.${derivedFrom}, and tells it: mask it too`);
  for (const [name, value] of secrets)
    terminal.say(`${name}: ${JSON.stringify(value)} for all, since it is never shown`);
  for (const name of leftOut) terminal.say(`${name}: left out, since it is never shown`);
  for (const [name, count] of cut)
    terminal.say(`${name}: ${grouped(count)} ${count === 1 ? 'link' : 'links'} to records that were not taken`);
}
