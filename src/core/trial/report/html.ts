import { escaped } from '../../text/markup.ts';
import type { Coverage, Outcome, TrialResult } from './outcome.ts';
import { notEstablishedOf, COLUMNS, curlOf, failedOf } from './outcome.ts';
import { STYLE } from './style.ts';

/** The result as one page that needs nothing else. */
export function htmlReport(result: TrialResult, url: string): string {
  const { service, outcomes, skipped, milliseconds, coverage } = result;
  const failed = failedOf(outcomes);
  const untried = notEstablishedOf(outcomes);
  const passed = outcomes.length - failed.length - untried.length;
  const verdict =
    failed.length === 0 ? `All ${passed} cases passed` : `${failed.length} of ${outcomes.length} cases failed`;
  const skippedLines = skipped.map(
    ({ model, title, why }) => `<li><b>${escaped(model)}</b> ${escaped(title)} ${dim(why)}</li>`,
  );
  const derived = outcomes.filter(({ case: { endpoint } }) => endpoint !== 'scenario' && endpoint !== 'walk');
  return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>${escaped(service)}: ${verdict}</title><style>${STYLE}</style></head><body><main>
<header class="${failed.length === 0 ? 'good' : 'bad'}"><p>Trial of ${escaped(service)}</p><h1>${verdict}</h1>
<p>in ${(milliseconds / 1000).toFixed(1)} s${[
    also(untried.length, 'not established'),
    also(skipped.length, 'left out'),
  ].join('')}</p>
</header>
${section('What failed', failed.map((one) => failureHtml(one, url)).join('\n'))}
${section('What could not be established', listOf(notEstablishedHtml(untried)))}
${section('Scenarios', scenariosHtml(outcomes))}
${section('Cases by model and endpoint', matrix(derived))}
${section('What callers were answered', callers(outcomes))}
${section('What no case has met', coverage === undefined ? '' : coverageHtml(coverage))}
${section('The slowest', slowest(outcomes))}
${section('Left out', listOf(skippedLines))}
</main></body></html>
`;
}

/** A part of the page; nothing where it has no content. */
const section = (title: string, content: string): string =>
  content === '' ? '' : `<section><h2>${title}</h2>${content}</section>`;

const tableOf = (rows: readonly string[]): string => (rows.length === 0 ? '' : `<table>${rows.join('')}</table>`);
const listOf = (lines: readonly string[]): string => (lines.length === 0 ? '' : `<ul>${lines.join('')}</ul>`);
const dim = (text: string): string => `<span class="dim">${escaped(text)}</span>`;

function failureHtml({ case: one, failure }: Outcome, url: string): string {
  const { sent, answer, faults, before = [] } = failure!;
  const body = JSON.stringify(answer.body, null, 2) ?? 'no body';
  const shown = body.length > 2000 ? `${body.slice(0, 1997)}…` : body;
  const compared = faults.map(({ what, expected, got }) => {
    const lines = [
      `<span class="want">expected  ${escaped(expected)}</span>`,
      `<span class="got">got       ${escaped(got)}</span>`,
    ];
    return `<dt>${escaped(what)}</dt><dd><pre>${lines.join('\n')}</pre></dd>`;
  });
  return `<details open><summary>${escaped(one.title)} <span>${escaped(one.model)}, ${one.endpoint}</span></summary><dl>
${compared.join('\n')}
<dt>sent</dt><dd><pre>${escaped([...before, sent].map((one) => curlOf(one, url)).join('\n'))}</pre></dd>
<dt>answered</dt><dd><pre>${answer.status} ${escaped(shown)}</pre></dd></dl></details>`;
}

const also = (count: number, what: string): string => (count > 0 ? `, ${count} ${what}` : '');

/** Cases that could not be tried, with what stood in the way. */
const notEstablishedHtml = (outcomes: readonly Outcome[]): string[] =>
  outcomes.map(
    ({ case: { model, endpoint, title }, notEstablished: reason = '' }) =>
      `<li><b>${escaped(`${model}, ${endpoint}`)}</b> ${escaped(title)} ${dim(`in the way: ${reason}`)}</li>`,
  );

/** The developer's own trials. */
function scenariosHtml(outcomes: readonly Outcome[]): string {
  const all = outcomes.filter((one) => one.case.endpoint === 'scenario');
  return tableOf(
    all.map(({ case: one, failure }) => {
      const cell = failure === undefined ? '<td class="ok">passed</td>' : '<td class="no">failed</td>';
      return `<tr><td>${escaped(one.title)} ${dim(one.model)}</td>${cell}</tr>`;
    }),
  );
}

/** A row for each model, a column for each kind of endpoint. */
function matrix(outcomes: readonly Outcome[]): string {
  const models = [...new Set(outcomes.map((one) => one.case.model))];
  const used = COLUMNS.filter((endpoint) => outcomes.some((one) => one.case.endpoint === endpoint));
  const rows = models.map((model) => {
    const cells = used.map((endpoint) => {
      const here = outcomes.filter((one) => one.case.model === model && one.case.endpoint === endpoint);
      const failed = failedOf(here).length;
      if (here.length === 0) return '<td class="dim">·</td>';
      return failed === 0 ? `<td class="ok">${here.length}</td>` : `<td class="no">${failed} of ${here.length}</td>`;
    });
    return `<tr><td>${escaped(model)}</td>${cells.join('')}</tr>`;
  });
  return tableOf([`<tr><th></th>${used.map((name) => `<th>${name}</th>`).join('')}</tr>`, ...rows]);
}

/** Which statuses each caller was given at each endpoint. */
function callers(outcomes: readonly Outcome[]): string {
  const met = new Map<string, Map<string, Set<number>>>();
  const people = new Set<string>();
  for (const { case: one, answered } of outcomes) {
    for (const { as, status } of answered) {
      if (as === undefined) continue;
      people.add(as);
      const row = `${one.model}, ${one.endpoint}`;
      if (!met.has(row)) met.set(row, new Map());
      const cells = met.get(row)!;
      if (!cells.has(as)) cells.set(as, new Set());
      cells.get(as)!.add(status);
    }
  }
  if (people.size === 0) return '';
  const names = [...people];
  const rows = [...met].map(([row, cells]) => {
    const statuses = names.map((name) => [...(cells.get(name) ?? [])].sort().join(' ') || dim('·'));
    return `<tr><td>${escaped(row)}</td>${statuses.map((cell) => `<td class="who">${cell}</td>`).join('')}</tr>`;
  });
  return tableOf([`<tr><th></th>${names.map((name) => `<th>${escaped(name)}</th>`).join('')}</tr>`, ...rows]);
}

function coverageHtml(coverage: Coverage): string {
  const parts = Object.entries(coverage).map(([what, { all, missing }]) => {
    const head = `${all - missing.length} of ${all} ${what} were met`;
    if (missing.length === 0) return `<p>${head}.</p>`;
    const names = listOf(missing.map((one) => `<li>${escaped(one)}</li>`));
    return `<details><summary>${head} <span>${missing.length} were not</span></summary>${names}</details>`;
  });
  return parts.join('\n');
}

function slowest(outcomes: readonly Outcome[]): string {
  const slow = [...outcomes].sort((one, other) => other.milliseconds - one.milliseconds).slice(0, 8);
  const most = slow[0]?.milliseconds ?? 1;
  return tableOf(
    slow.map(({ case: one, milliseconds }) => {
      const wide = Math.max(4, Math.round((200 * milliseconds) / most));
      const title = `${escaped(one.model)}, ${one.endpoint}: ${escaped(one.title)}`;
      const bar = `<td class="room"><span class="bar" style="width:${wide}px"></span></td>`;
      return `<tr><td>${title}</td><td>${milliseconds.toFixed(0)} ms</td>${bar}</tr>`;
    }),
  );
}
