import type { Source } from '../../core/declaration/declared.ts';
import type { Problem } from '../../core/declaration/problem.ts';
import { notEstablishedOf, COLUMNS, curlOf, failedOf } from '../../core/trial/report/outcome.ts';
import type { Coverage, Outcome, TrialResult } from '../../core/trial/report/outcome.ts';
import type { Context } from '../command.ts';
import { problemsText } from '../terminal/problems.ts';
import { table } from '../terminal/table.ts';
import { counted } from '../terminal/terminal.ts';
import type { Terminal } from '../terminal/terminal.ts';

/** The result for people: a table of models and endpoints, each failure, and a line that counts. */
export function resultText(
  { outcomes, skipped, milliseconds, coverage }: TrialResult,
  url: string,
  paint: Terminal['paint'],
): string {
  const scenarios = outcomes.filter(({ case: one }) => one.endpoint === 'scenario');
  const derived = outcomes.filter(({ case: { endpoint } }) => endpoint !== 'scenario' && endpoint !== 'walk');
  const models = [...new Set(derived.map((outcome) => outcome.case.model))];
  const failed = failedOf(outcomes);
  const untried = notEstablishedOf(outcomes);
  const passed = outcomes.length - failed.length - untried.length;
  const counts = [
    `${passed} passed`,
    `${failed.length} failed`,
    ...(untried.length > 0 ? [`${untried.length} not established`] : []),
    ...(skipped.length > 0 ? [`${skipped.length} skipped`] : []),
  ];
  const line = `${counts.join(', ')} in ${(milliseconds / 1000).toFixed(1)} s`;
  const used = COLUMNS.filter((endpoint) => derived.some((outcome) => outcome.case.endpoint === endpoint));
  const rows = models.map((model) => [model, ...used.map((endpoint) => cell(model, endpoint, derived, paint))]);
  const head = ['', ...used].map((word) => paint.dim(word));
  return [
    ...(rows.length === 0
      ? []
      : [
          table(
            [head, ...rows],
            used.map((_name, at) => at + 1),
          ),
          '',
        ]),
    ...scenarios.map(
      ({ case: { title, model }, failure }) =>
        `${failure === undefined ? paint.green('passed') : paint.red('failed')} ${title} ${paint.dim(model)}`,
    ),
    ...(scenarios.length > 0 ? [''] : []),
    ...failed.flatMap((outcome) => [...failureLines(outcome, url, paint), '']),
    ...notEstablishedLines(untried, paint),
    ...skipped.map(({ model, title, why }) => `${paint.yellow('skipped')} ${model}: ${title} (${why})`),
    ...(skipped.length > 0 ? [''] : []),
    ...(coverage === undefined ? [] : coverageLines(coverage, paint)),
    failed.length > 0 ? paint.red(line) : paint.green(line),
  ].join('\n');
}

function cell(model: string, endpoint: string, outcomes: readonly Outcome[], paint: Terminal['paint']): string {
  const here = outcomes.filter((outcome) => outcome.case.model === model && outcome.case.endpoint === endpoint);
  if (here.length === 0) return paint.dim('·');
  const failed = here.filter(({ failure }) => failure !== undefined).length;
  return failed === 0 ? paint.green(String(here.length)) : paint.red(`${failed} of ${here.length} failed`);
}

function failureLines({ case: tried, failure }: Outcome, url: string, paint: Terminal['paint']): string[] {
  const { sent, answer, faults, before = [] } = failure!;
  const shown = JSON.stringify(answer.body) ?? 'no body';
  const isWhole = tried.endpoint === 'scenario' || tried.endpoint === 'walk';
  const title = isWhole ? tried.title : `${tried.model}, ${tried.endpoint}: ${tried.title}`;
  return [
    `${paint.red('failed')} ${paint.bold(title)}`,
    ...faults.map(({ what, expected, got }) => `  ${what}: expected ${expected}, got ${got}`),
    ...before.map((one) => `  first     ${curlOf(one, url)}`),
    `  ${before.length > 0 ? 'then' : 'sent'}      ${curlOf(sent, url)}`,
    `  answered  ${answer.status} ${shown.length > 300 ? `${shown.slice(0, 297)}…` : shown}`,
  ];
}

/** Cases that could not be tried, by what stood in the way. */
function notEstablishedLines(untried: readonly Outcome[], paint: Terminal['paint']): string[] {
  const lines = untried.map(
    ({ case: { model, endpoint, title }, notEstablished: reason }) =>
      `${paint.yellow('not established')} ${model}, ${endpoint}: ${title} ${paint.dim(`(in the way: ${reason})`)}`,
  );
  return lines.length === 0 ? [] : [...lines, ''];
}

/** How much no case has met; the names of endpoints and rules where they are few. */
function coverageLines(coverage: Coverage, paint: Terminal['paint']): string[] {
  const parts = Object.entries(coverage).map(([what, { all, missing }]) => `${all - missing.length} of ${all} ${what}`);
  const named = [...coverage.endpoints.missing, ...coverage.rules.missing, ...coverage.grants.missing];
  const met = paint.dim(`covered: ${parts.join(', ')}`);
  if (named.length === 0) return [met];
  const more = named.length > MOST_NAMED ? [`and ${named.length - MOST_NAMED} more`] : [];
  return [met, paint.dim(`not covered: ${[...named.slice(0, MOST_NAMED), ...more].join('; ')}`)];
}

const MOST_NAMED = 8;

/** The result as the JSON value of `--json`. */
export function resultValue({ outcomes, skipped, milliseconds, coverage }: TrialResult): object {
  const failed = failedOf(outcomes);
  return {
    passed: outcomes.length - failed.length - notEstablishedOf(outcomes).length,
    failed: failed.length,
    notEstablished: notEstablishedOf(outcomes).map(({ case: { model, endpoint, title }, notEstablished: reason }) => ({
      model,
      endpoint,
      title,
      reason,
    })),
    skipped,
    milliseconds: Math.round(milliseconds),
    coverage,
    failures: failed.map(({ case: tried, failure }) => ({
      model: tried.model,
      endpoint: tried.endpoint,
      title: tried.title,
      ...failure,
    })),
  };
}

export const progressText = (done: number, all: number): string => `${done} of ${counted(all, 'case')}`;

/** Scenarios with mistakes are not run, and nothing else is. */
export function tellProblems(
  { terminal }: Context,
  problems: readonly Problem<string>[],
  sources: readonly Source[],
): void {
  terminal.value({ tried: false, problems });
  terminal.warn(`${problemsText(problems, sources, terminal.tint)}; nothing was tried`);
}
