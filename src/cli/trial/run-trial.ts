import { randomBytes } from 'node:crypto';
import { openApi } from '../../core/document/openapi.ts';
import type { Graph } from '../../core/model/graph.ts';
import type { Service } from '../../core/service.ts';
import type { Case } from '../../core/trial/case.ts';
import { makeDocumentJudge } from '../../core/trial/document-judge.ts';
import { coverageOf } from '../../core/trial/report/coverage.ts';
import type { TrialResult } from '../../core/trial/report/outcome.ts';
import { readScenarios } from '../../core/trial/scenarios.ts';
import { openDatabase } from '../../project/database.ts';
import { throwawayFor } from '../../project/project.ts';
import { readTrialFiles } from '../../project/read.ts';
import { serviceOn } from '../../project/serve.ts';
import { copyRows } from '../../store/row-copy.ts';
import type { Context } from '../command.ts';
import type { LoadedProject } from '../load-project.ts';
import { loadProjectSamples, untoldText } from '../seed.ts';
import { listen } from '../serve.ts';
import { progressText, tellProblems } from './result-text.ts';
import { runCases } from './run-cases.ts';
import type { Tried } from './run-cases.ts';
import { stageOf } from './stage.ts';

export interface TrialOptions {
  readonly wanted: (one: Case) => boolean;
  /** Stop at the first failure. */
  readonly bail: boolean;
  /** Puts the cases into another order, the same for the same number. */
  readonly random?: number;
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
      const opened = (everybody: boolean, of = unlimited): Service =>
        serviceOn(of, store, [key], (error) => defects.push(error), { code: project.loaded, quiet: true, everybody });
      const [own, open, limited] = [opened(false), opened(true), opened(false, graph)];
      const { derived, tokens, keys } = await stageOf(project, own, store);
      const sources = readTrialFiles(project.folder);
      const scenarios = readScenarios(graph, sources, keys);
      if (scenarios.problems.length > 0) {
        tellProblems(context, scenarios.problems, sources);
        return undefined;
      }
      const document = openApi(graph);
      const snapshot = await copyRows(store);
      const at = { host: '127.0.0.1', port: 0, largestBody: graph.service.limits.body };
      const servers = [await listen(own, at), await listen(open, at), await listen(limited, at)];
      try {
        const tried: Tried = {
          own: servers[0]!.url,
          open: servers[1]!.url,
          limited: servers[2]!.url,
          tokenOf: (name) => tokens.get(name),
          document: makeDocumentJudge(document),
        };
        const chosen = inOrder([...derived.cases, ...scenarios.cases].filter(options.wanted), options.random);
        const outcomes = await runCases(chosen, tried, options.bail, snapshot, (done) => {
          context.terminal.progress(progressText(done, chosen.length));
        });
        context.terminal.progress('');
        const untold = new Map([...own.writes.untold(), ...open.writes.untold()]);
        if (untold.size > 0) context.terminal.say(`afterCommit hooks are not run in trials: ${untoldText(untold)}`);
        for (const defect of defects) context.terminal.warn(`a defect inside the service: ${String(defect)}`);
        return {
          result: {
            service: graph.service.name,
            outcomes,
            skipped: derived.skipped,
            milliseconds: performance.now() - begun,
            ...(chosen.length === derived.cases.length + scenarios.cases.length
              ? { coverage: coverageOf(graph, document, outcomes) }
              : {}),
          },
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
