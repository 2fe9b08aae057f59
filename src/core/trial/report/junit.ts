import { escaped } from '../../text/markup.ts';
import type { TrialResult } from './outcome.ts';
import { notEstablishedOf, curlOf, failedOf } from './outcome.ts';

/** The result as JUnit XML: a suite for each model, a test case for each case. */
export function junitXml({ service, outcomes, skipped, milliseconds }: TrialResult, url: string): string {
  const models = [...new Set([...outcomes.map((one) => one.case.model), ...skipped.map(({ model }) => model)])];
  const suites = models.map((model) => {
    const own = outcomes.filter((one) => one.case.model === model);
    const left = skipped.filter((one) => one.model === model);
    const cases = own.map(({ case: { endpoint, title }, milliseconds: took, failure, notEstablished }) => {
      const head =
        `    <testcase classname="${text(`${model}.${endpoint}`)}" ` + `name="${text(title)}" time="${seconds(took)}"`;
      if (notEstablished !== undefined) {
        const message = text(`not established: ${notEstablished}`);
        return `${head}>\n      <skipped message="${message}"/>\n    </testcase>`;
      }
      if (failure === undefined) return `${head}/>`;
      const faults = failure.faults.map(({ what, expected, got }) => `${what}: expected ${expected}, got ${got}`);
      const sent = [
        ...[...(failure.before ?? []), failure.sent].map((one) => `sent ${curlOf(one, url)}`),
        `answered ${failure.answer.status} ${JSON.stringify(failure.answer.body) ?? ''}`,
      ];
      return (
        `${head}>\n      <failure ` +
        `message="${text(faults[0] ?? 'failed')}">${text([...faults, ...sent].join('\n'))}</failure>\n` +
        '    </testcase>'
      );
    });
    const none = left.map(
      ({ title, why }) =>
        `    <testcase classname="${text(model)}" name="${text(title)}"><skipped message="${text(why)}"/></testcase>`,
    );
    const took = own.reduce((sum, one) => sum + one.milliseconds, 0);
    return [
      `  <testsuite name="${text(model)}" tests="${own.length + left.length}" ` +
        `failures="${failedOf(own).length}" skipped="${left.length + notEstablishedOf(own).length}" ` +
        `time="${seconds(took)}">`,
      ...cases,
      ...none,
      '  </testsuite>',
    ].join('\n');
  });
  const counts =
    `tests="${outcomes.length + skipped.length}" ` +
    `failures="${failedOf(outcomes).length}" ` +
    `skipped="${skipped.length + notEstablishedOf(outcomes).length}"`;
  return (
    `<?xml version="1.0" encoding="UTF-8"?>\n<testsuites name="${text(service)}" ${counts} ` +
    `time="${seconds(milliseconds)}">\n${suites.join('\n')}\n` +
    '</testsuites>\n'
  );
}

const seconds = (milliseconds: number): string => (milliseconds / 1000).toFixed(3);

/** Text as XML takes it: without the characters that it has no way to write. */
export const text = (raw: string): string =>
  // eslint-disable-next-line no-control-regex
  escaped(raw.replaceAll(/[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]/g, '\ufffd')).replaceAll('\n', '&#10;');
