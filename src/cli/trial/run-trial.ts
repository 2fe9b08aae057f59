import { randomInt } from 'node:crypto';
import { CodeError } from '../../core/change/code.ts';
import type { Case } from '../../core/trial/case.ts';
import { randomOf } from '../../core/text/random.ts';
import { coverageOf } from '../../core/trial/report/coverage.ts';
import type { TrialResult } from '../../core/trial/report/outcome.ts';
import { readScenarios } from '../../core/trial/scenarios.ts';
import { openDatabase } from '../../project/database.ts';
import { throwawayFor } from '../../project/project.ts';
import { readTrialFiles } from '../../project/read.ts';
import { placeText } from '../code-place.ts';
import type { Context } from '../command.ts';
import type { LoadedProject } from '../load-project.ts';
import { loadProjectSamples, untoldText } from '../seed.ts';
import { counted } from '../terminal/terminal.ts';
import { CHEAP, openTrial } from './open-trial.ts';
import type { OpenTrial } from './open-trial.ts';
import { progressText, tellProblems } from './result-text.ts';
import { runCases } from './run-cases.ts';

export interface TrialOptions {
  readonly wanted: (one: Case) => boolean;
  /** Stop at the first failure. */
  readonly bail: boolean;
  /** Puts the cases into another order, the same for the same number. */
  readonly random?: number;
  /** Walks of so many requests in all take the place of cases. */
  readonly walk?: number;
  /** Writes walks that fail as scenarios. */
  readonly keep?: boolean;
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
  const place = await throwawayFor(project);
  try {
    // As a service has it: an answer that is out of date would show.
    const { cache } = project.graph.service.limits;
    const { store } = await openDatabase(project, place.address, undefined, { cache });
    try {
      if ((await loadProjectSamples(context, project, store, CHEAP)) === undefined) return undefined;
      const trial = await openTrial(project, project.loaded, store, place.address);
      try {
        return await (options.walk === undefined ? tryAll : walkAll)(context, project, trial, options, begun);
      } finally {
        await trial.close();
      }
    } finally {
      await store.close();
    }
  } finally {
    await place.drop();
  }
}

async function tryAll(
  context: Context,
  { graph, folder }: LoadedProject,
  { derived, keys, tried, snapshot, document, defects, untold }: OpenTrial,
  options: TrialOptions,
  begun: number,
): Promise<{ result: TrialResult; url: string } | undefined> {
  const { terminal } = context;
  const sources = readTrialFiles(folder);
  const scenarios = readScenarios(graph, sources, keys);
  if (scenarios.problems.length > 0) {
    tellProblems(context, scenarios.problems, sources);
    return undefined;
  }
  const all = [...derived.cases, ...scenarios.cases];
  const chosen = inOrder(all.filter(options.wanted), options.random);
  const outcomes = await runCases(chosen, tried, options.bail, snapshot, (done) => {
    terminal.progress(progressText(done, chosen.length));
  });
  terminal.progress('');
  if (untold().size > 0) terminal.say(`afterCommit hooks are not run in trials: ${untoldText(untold())}`);
  tellDefects(terminal, defects);
  const result: TrialResult = {
    service: graph.service.name,
    outcomes,
    skipped: derived.skipped,
    milliseconds: performance.now() - begun,
    ...(chosen.length === all.length ? { coverage: coverageOf(graph, document, outcomes) } : {}),
  };
  return { result, url: tried.own };
}

async function walkAll(
  { terminal, folder }: Context,
  { graph }: LoadedProject,
  trial: OpenTrial,
  { walk = 0, random = randomInt(MOST_RANDOM), keep = false }: TrialOptions,
  begun: number,
): Promise<{ result: TrialResult; url: string }> {
  const { runWalks } = await import('./run-walk.ts');
  const progress = (sent: number): void => terminal.progress(`${sent} of ${counted(walk, 'request')}`);
  const walked = await runWalks(trial, graph, { requests: walk, random, progress });
  terminal.progress('');
  const judged = walked.sent - walked.unsure;
  terminal.say(
    `sent ${counted(walked.sent, 'request')}, --random ${random}; ${judged} answers were predicted, ` +
      'and the others fit the document',
  );
  tellDefects(terminal, trial.defects);
  if (keep) {
    const { keepWalks } = await import('./keep-walk.ts');
    for (const file of keepWalks(folder, graph, trial, walked, random)) terminal.say(`wrote ${file}`);
  }
  const { outcomes } = walked;
  const milliseconds = performance.now() - begun;
  return { result: { service: graph.service.name, outcomes, skipped: [], milliseconds }, url: trial.tried.own };
}

const MOST_RANDOM = 1_000_000;

/** Defects of the service, each once. What the project's own code throws is told with the cases that fail by it. */
function tellDefects(terminal: Context['terminal'], defects: readonly unknown[]): void {
  const texts = defects.filter((one) => !(one instanceof CodeError)).map((one) => String(one) + placeText(one));
  for (const text of new Set(texts)) terminal.warn(`a defect inside the service: ${text}`);
}

/** The cases as they come, or shuffled: the same for the same number. */
function inOrder(cases: readonly Case[], random: number | undefined): Case[] {
  const all = [...cases];
  if (random === undefined) return all;
  const chance = randomOf(random);
  for (let last = all.length - 1; last > 0; last -= 1) {
    const other = chance.upTo(last);
    [all[last], all[other]] = [all[other]!, all[last]!];
  }
  return all;
}
