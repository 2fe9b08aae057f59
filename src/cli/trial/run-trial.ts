import { randomBytes } from 'node:crypto';
import { openApi } from '../../core/document/openapi.ts';
import type { FieldValue, Graph, Scalar } from '../../core/model/graph.ts';
import { modelOf } from '../../core/model/graph.ts';
import { readSamples } from '../../core/samples/read.ts';
import type { Service } from '../../core/service.ts';
import type { Store } from '../../core/store/contract.ts';
import { samplesTable } from '../../core/tables/own-tables.ts';
import type { Case } from '../../core/trial/case.ts';
import { deriveCases } from '../../core/trial/derive.ts';
import type { Derived } from '../../core/trial/derive.ts';
import { makeDocumentJudge } from '../../core/trial/document-judge.ts';
import type { KnownValues } from '../../core/trial/examples.ts';
import type { Row } from '../../core/trial/oracle.ts';
import { NOBODY, worldOf } from '../../core/trial/world.ts';
import type { Person, World } from '../../core/trial/world.ts';
import { openDatabase } from '../../project/database.ts';
import { throwawayFor } from '../../project/project.ts';
import type { SoundProject } from '../../project/project.ts';
import type { LoadedProject } from '../sound-project.ts';
import { readSampleFiles } from '../../project/samples.ts';
import { serviceOn } from '../../project/serve.ts';
import { takeSnapshot } from '../../store/snapshot.ts';
import type { Snapshot } from '../../store/snapshot.ts';
import type { Context } from '../command.ts';
import { loadProjectSamples, untoldText } from '../seed.ts';
import { listen } from '../serve.ts';
import { runCase } from './run-cases.ts';
import type { Outcome, Tried } from './run-cases.ts';
import { progressText } from './result-text.ts';
import type { TrialResult } from './result-text.ts';

export interface TrialOptions {
  readonly wanted: (one: Case) => boolean;
  /** Stop at the first failure. */
  readonly bail: boolean;
  /** Puts the cases into another order, the same for the same number. */
  readonly random?: number;
  /** In the place of the service that is tried, for tests of the trial itself. */
  readonly spoil?: (service: Service) => Service;
}

/**
 * Tries a project's API over HTTP, on a database that is made for it and thrown away. Undefined where the samples have
 * problems, which are shown.
 */
export async function runTrial(
  context: Context,
  project: LoadedProject,
  options: TrialOptions,
): Promise<{ result: TrialResult; url: string } | undefined> {
  const begun = performance.now();
  const { graph } = project;
  const place = await throwawayFor(project);
  try {
    const { store } = await openDatabase(project, place.address);
    try {
      if ((await loadProjectSamples(context, project, store)) === undefined) return undefined;
      const key = randomBytes(32).toString('hex');
      const defects: unknown[] = [];
      // Without limits of requests, which would only count the trial's own.
      const limits = { ...graph.service.limits, rate: undefined, signIn: 1_000_000 };
      const unlimited = { ...graph, service: { ...graph.service, limits: limits as Graph['service']['limits'] } };
      const opened = (everybody: boolean): Service => serviceOn(unlimited, store, [key], (error) => defects.push(error), { code: project.loaded, quiet: true, everybody }); // prettier-ignore
      const [own, open] = [opened(false), opened(true)];
      const { world, tokens } = await worldIn(graph, own, store);
      const derived = world === undefined ? tooMany(deriveCases(graph, knownValues(project), new Date())) : deriveCases(graph, knownValues(project), world.now, world); // prettier-ignore
      const snapshot = await takeSnapshot(store);
      const at = { host: '127.0.0.1', port: 0, largestBody: graph.service.limits.body };
      const servers = [await listen(own, at), await listen(open, at)];
      try {
        const tried: Tried = {
          own: servers[0]!.url,
          open: servers[1]!.url,
          tokenOf: (name) => tokens.get(name),
          document: makeDocumentJudge(openApi(graph)),
        };
        const chosen = inOrder(derived.cases.filter(options.wanted), options.random);
        const outcomes = await runCases(chosen, tried, snapshot, context, options.bail);
        const untold = new Map([...own.writes.untold(), ...open.writes.untold()]);
        if (untold.size > 0) context.terminal.say(`afterCommit hooks are not run in trials: ${untoldText(untold)}`);
        for (const defect of defects) context.terminal.warn(`a defect inside the service: ${String(defect)}`);
        return {
          result: { outcomes, skipped: derived.skipped, milliseconds: performance.now() - begun },
          url: servers[0]!.url,
        };
      } finally {
        await Promise.all(servers.map((server) => server.close()));
      }
    } finally {
      await store.close();
    }
  } finally {
    await place.drop();
  }
}

async function runCases(
  chosen: readonly Case[],
  tried: Tried,
  snapshot: Snapshot,
  { terminal }: Context,
  bail: boolean,
): Promise<Outcome[]> {
  const outcomes: Outcome[] = [];
  let isChanged = false;
  for (const one of chosen) {
    terminal.progress(progressText(outcomes.length, chosen.length));
    // Every case begins with the samples as they are.
    if (isChanged) await snapshot.restore();
    isChanged = one.steps.some(({ method }) => method !== 'GET');
    const outcome = await runCase(one, tried);
    outcomes.push(outcome);
    if (bail && outcome.failure !== undefined) break;
  }
  terminal.progress('');
  return outcomes;
}

/** More records of one model than so many are too many to work everything out in JavaScript. */
const MOST_ROWS = 2_000;

const tooMany = ({ cases, skipped }: Derived): Derived => ({
  cases,
  skipped: [...skipped, { model: 'all models', title: 'filters, orders, pages and callers', why: `the samples have more than ${MOST_ROWS} records of one model` }], // prettier-ignore
});

/** The sample data as it stands, and a token for everybody in it; no world where there are too many records. */
async function worldIn(
  graph: Graph,
  service: Service,
  store: Store,
): Promise<{ world: World | undefined; tokens: ReadonlyMap<string, string> }> {
  // prettier-ignore
  const rows = new Map<string, readonly Row[]>();
  await service.writes.run(null, async (work) => {
    const scope = service.writes.scopeOf(work);
    for (const { name } of graph.models) rows.set(name, await scope.model(name).find(undefined, { limit: MOST_ROWS + 1 })); // prettier-ignore
  });
  const tokens = new Map<string, string>();
  const people: Person[] = [NOBODY];
  const { identity } = graph;
  if (identity !== undefined && identity.issuer === undefined) {
    const { key } = modelOf(graph, identity.model);
    const names = await namesOf(store, identity.model);
    for (const row of rows.get(identity.model)!) {
      const id = row[key.member] as Scalar;
      const name = names.get(String(id)) ?? String(id);
      const roles = identity.roles === undefined ? null : (row[identity.roles.member] ?? null);
      people.push({ name, caller: { key: id, roles: roles === null ? [] : ([roles].flat() as string[]) } });
      tokens.set(name, await service.token(String(id), 86_400));
    }
  }
  const isSmall = [...rows.values()].every(({ length }) => length <= MOST_ROWS);
  return { world: isSmall ? worldOf(graph, rows, people, new Date()) : undefined, tokens };
}

/** The handles of a model's samples, by the keys of their records. */
async function namesOf(store: Store, model: string): Promise<Map<string, string>> {
  const { name } = store.dialect;
  const sql = `SELECT ${name('name')}, ${name('key')} FROM ${name(samplesTable.name)} WHERE ${name('name')} LIKE ${store.dialect.placeholder(1)}`;
  const found = await store.all({ sql }, [`${model}/%`]);
  return new Map(found.map(([handle, key]) => [String(key), String(handle).slice(model.length + 1)]));
}

/** The cases as they come, or shuffled: the same for the same number. */
function inOrder(cases: readonly Case[], random: number | undefined): Case[] {
  const all = [...cases];
  if (random === undefined) return all;
  let state = random;
  for (let last = all.length - 1; last > 0; last -= 1) {
    // A linear congruential generator (Numerical Recipes): the upper bits are the good ones.
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    const other = Math.floor((state / 2 ** 32) * (last + 1));
    [all[last], all[other]] = [all[other]!, all[last]!];
  }
  return all;
}

/** The values of the samples, of which derived cases take those that can't be made up. */
function knownValues({ folder, graph }: SoundProject): KnownValues {
  const known = new Map<string, FieldValue[]>();
  for (const { model, values } of readSamples(graph, readSampleFiles(folder, graph).sources).rows) {
    for (const [member, value] of Object.entries(values)) {
      const name = `${model.name}.${member}`;
      known.set(name, [...(known.get(name) ?? []), value as FieldValue]);
    }
  }
  return known;
}
