import { htmlReport } from '../../core/trial/report/html.ts';
import { junitXml } from '../../core/trial/report/junit.ts';
import type { TrialResult } from '../../core/trial/report/outcome.ts';
import { writeGiven } from '../files.ts';
import type { Terminal } from '../terminal/terminal.ts';
import { resultValue } from './result-text.ts';

/** Writes what came of a trial, as what the file's name ends in. */
export function writeReport(
  file: string,
  { result, url }: { result: TrialResult; url: string },
  terminal: Terminal,
): void {
  writeGiven(file, textFor(file, result, url), 'name another with --report');
  terminal.say(`wrote ${file}`);
}

function textFor(file: string, result: TrialResult, url: string): string {
  if (file.endsWith('.html')) return htmlReport(result, url);
  if (file.endsWith('.xml')) return junitXml(result, url);
  const cases = result.outcomes.map(({ case: { model, endpoint, title }, milliseconds, failure, notEstablished }) => ({
    model,
    endpoint,
    title,
    milliseconds,
    passed: failure === undefined && notEstablished === undefined,
    ...(notEstablished === undefined ? {} : { notEstablished }),
  }));
  return `${JSON.stringify({ ...resultValue(result), cases }, null, 2)}\n`;
}
