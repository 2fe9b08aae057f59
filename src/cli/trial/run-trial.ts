import { randomBytes } from 'node:crypto';
import { openApi } from '../../core/document/openapi.ts';
import type { FieldValue, Graph } from '../../core/model/graph.ts';
import { readSamples } from '../../core/samples/read.ts';
import type { Case } from '../../core/trial/case.ts';
import { deriveCases } from '../../core/trial/derive.ts';
import { makeDocumentJudge } from '../../core/trial/document-judge.ts';
import type { KnownValues } from '../../core/trial/examples.ts';
import { openDatabase } from '../../project/database.ts';
import { throwawayFor } from '../../project/project.ts';
import type { SoundProject } from '../../project/project.ts';
import type { LoadedProject } from '../sound-project.ts';
import { readSampleFiles } from '../../project/samples.ts';
import { serviceOn } from '../../project/serve.ts';
import type { Context } from '../command.ts';
import { loadProjectSamples, untoldText } from '../seed.ts';
import { listen } from '../serve.ts';
import { runCase } from './run-cases.ts';
import type { Outcome } from './run-cases.ts';
import { progressText } from './result-text.ts';
import type { TrialResult } from './result-text.ts';

export interface TrialOptions {
  readonly wanted: (one: Case) => boolean;
  /** Stop at the first failure. */
  readonly bail: boolean;
}

/**
 * Tries a project's API over HTTP, on a database that is made for it and thrown away. Undefined where the samples have
 * problems, which are shown.
 */
export async function runTrial(
  context: Context,
  project: LoadedProject,
  { wanted, bail }: TrialOptions,
): Promise<{ result: TrialResult; url: string } | undefined> {
  const begun = performance.now();
  const { graph } = project;
  const place = await throwawayFor(project);
  try {
    const { store } = await openDatabase(project, place.address);
    try {
      if ((await loadProjectSamples(context, project, store)) === undefined) return undefined;
      const { cases, skipped } = deriveCases(graph, knownValues(project), new Date());
      const key = randomBytes(32).toString('hex');
      const defects: unknown[] = [];
      const service = serviceOn(graph, store, [key], (error) => defects.push(error), {
        code: project.loaded,
        quiet: true,
        // Rules are tried by somebody who may do everything.
        everybody: true,
      });
      const server = await listen(service, { host: '127.0.0.1', port: 0, largestBody: graph.service.limits.body });
      try {
        const outcomes = await runCases(cases.filter(wanted), graph, server.url, context, bail);
        const untold = service.writes.untold();
        if (untold.size > 0) context.terminal.say(`afterCommit hooks are not run in trials: ${untoldText(untold)}`);
        for (const defect of defects) context.terminal.warn(`a defect inside the service: ${String(defect)}`);
        return { result: { outcomes, skipped, milliseconds: performance.now() - begun }, url: server.url };
      } finally {
        await server.close();
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
  graph: Graph,
  url: string,
  { terminal }: Context,
  bail: boolean,
): Promise<Outcome[]> {
  const judge = makeDocumentJudge(openApi(graph));
  const outcomes: Outcome[] = [];
  for (const one of chosen) {
    terminal.progress(progressText(outcomes.length, chosen.length));
    const outcome = await runCase(one, url, judge);
    outcomes.push(outcome);
    if (bail && outcome.failure !== undefined) break;
  }
  terminal.progress('');
  return outcomes;
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
