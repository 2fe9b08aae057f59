import type { Skipped } from '../../core/trial/case.ts';
import { table } from '../terminal/table.ts';
import { counted } from '../terminal/terminal.ts';
import type { Terminal } from '../terminal/terminal.ts';
import type { Outcome } from './run-cases.ts';

export interface TrialResult {
  readonly outcomes: readonly Outcome[];
  readonly skipped: readonly Skipped[];
  readonly milliseconds: number;
}

const ENDPOINTS = ['list', 'read', 'create', 'replace', 'update', 'delete', 'clear', 'operation', 'journal'] as const;

/** The result for people: a table of models and endpoints, each failure, and a line that counts. */
export function resultText(
  { outcomes, skipped, milliseconds }: TrialResult,
  url: string,
  paint: Terminal['paint'],
): string {
  const models = [...new Set(outcomes.map((outcome) => outcome.case.model))];
  const rows = models.map((model) => [model, ...ENDPOINTS.map((endpoint) => cell(model, endpoint, outcomes, paint))]);
  const failed = outcomes.filter(({ failure }) => failure !== undefined);
  const passed = outcomes.length - failed.length;
  const counts = [
    `${passed} passed`,
    `${failed.length} failed`,
    ...(skipped.length > 0 ? [`${skipped.length} skipped`] : []),
  ];
  const line = `${counts.join(', ')} in ${(milliseconds / 1000).toFixed(1)} s`;
  return [
    table(
      [['', ...ENDPOINTS].map((word) => paint.dim(word)), ...rows],
      ENDPOINTS.map((_name, at) => at + 1),
    ),
    '',
    ...failed.flatMap((outcome) => [...failureLines(outcome, url, paint), '']),
    ...skipped.map(({ model, title, why }) => `${paint.yellow('skipped')} ${model}: ${title} (${why})`),
    ...(skipped.length > 0 ? [''] : []),
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
  const { sent, answer, faults } = failure!;
  const who =
    sent.as === undefined || sent.as === 'nobody' ? [] : [` -H "Authorization: Bearer $(vantfell token ${sent.as})"`];
  const headers = Object.entries(sent.headers).map(([name, value]) => ` -H ${quoted(`${name}: ${value}`)}`);
  const body = sent.body === undefined ? '' : ` -d ${quoted(JSON.stringify(sent.body))}`;
  const shown = JSON.stringify(answer.body) ?? 'no body';
  return [
    `${paint.red('failed')} ${paint.bold(`${tried.model}, ${tried.endpoint}: ${tried.title}`)}`,
    ...faults.map(({ what, expected, got }) => `  ${what}: expected ${expected}, got ${got}`),
    `  sent      curl -X ${sent.method} ${quoted(url + sent.path)}${[...headers, ...who].join('')}${body}`,
    `  answered  ${answer.status} ${shown.length > 300 ? `${shown.slice(0, 297)}…` : shown}`,
  ];
}

/** Text as a POSIX shell takes it. */
const quoted = (text: string): string => `'${text.replaceAll("'", `'\\''`)}'`;

/** The result as the JSON value of `--json`. */
export function resultValue({ outcomes, skipped, milliseconds }: TrialResult): unknown {
  const failed = outcomes.filter(({ failure }) => failure !== undefined);
  return {
    passed: outcomes.length - failed.length,
    failed: failed.length,
    skipped,
    milliseconds: Math.round(milliseconds),
    failures: failed.map(({ case: tried, failure }) => ({
      model: tried.model,
      endpoint: tried.endpoint,
      title: tried.title,
      ...failure,
    })),
  };
}

export const progressText = (done: number, all: number): string => `${done} of ${counted(all, 'case')}`;
