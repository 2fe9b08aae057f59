import type { Coverage, Outcome, TrialResult } from './outcome.ts';
import { COLUMNS, curlOf, failedOf } from './outcome.ts';

/** The result as one page that needs nothing else. */
export function htmlReport(result: TrialResult, url: string): string {
  const { service, outcomes, skipped, milliseconds, coverage } = result;
  const failed = failedOf(outcomes);
  const passed = outcomes.length - failed.length;
  const verdict =
    failed.length === 0 ? `All ${passed} cases passed` : `${failed.length} of ${outcomes.length} cases failed`;
  return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>${escaped(service)}: ${verdict}</title><style>${STYLE}</style></head><body><main>
<header class="${failed.length === 0 ? 'good' : 'bad'}"><p>Trial of ${escaped(service)}</p><h1>${verdict}</h1>
<p>in ${(milliseconds / 1000).toFixed(1)} s${skipped.length > 0 ? `, ${skipped.length} left out` : ''}</p></header>
${failed.length === 0 ? '' : `<section><h2>What failed</h2>${failed.map((one) => failureHtml(one, url)).join('\n')}</section>`}
${scenariosHtml(outcomes)}
<section><h2>Cases by model and endpoint</h2>${matrix(outcomes.filter((one) => one.case.endpoint !== 'scenario'))}</section>
${callers(outcomes)}
${coverage === undefined ? '' : `<section><h2>What no case has met</h2>${coverageHtml(coverage)}</section>`}
<section><h2>The slowest</h2>${slowest(outcomes)}</section>
${skipped.length === 0 ? '' : `<section><h2>Left out</h2><ul>${skipped.map(({ model, title, why }) => `<li><b>${escaped(model)}</b> ${escaped(title)} <span class="dim">${escaped(why)}</span></li>`).join('')}</ul></section>`}
</main></body></html>
`;
}

const STYLE = `
:root { color-scheme: light dark; --ink: #22303a; --dim: #6b7a85; --line: #d9e0e4; --paper: #f6f8f9; --card: #fff; --good: #1f7a4d; --good-soft: #e3f2e9; --bad: #b3361f; --bad-soft: #fae6e1; }
@media (prefers-color-scheme: dark) { :root { --ink: #d9e2e8; --dim: #8a99a4; --line: #303b44; --paper: #14191d; --card: #1b2228; --good: #66c796; --good-soft: #1c3428; --bad: #f0826a; --bad-soft: #3a211b; } }
* { box-sizing: border-box } body { margin: 0; background: var(--paper); color: var(--ink); font: 15px/1.5 system-ui, sans-serif }
main { max-width: 1180px; margin: 0 auto; padding: 24px } header { padding: 20px 24px; border-radius: 10px; margin-bottom: 24px } header p { margin: 0; color: var(--dim) } h1 { margin: 2px 0; font-size: 28px; line-height: 1.2 }
.good { background: var(--good-soft) } .good h1 { color: var(--good) } .bad { background: var(--bad-soft) } .bad h1 { color: var(--bad) }
section { background: var(--card); border: 1px solid var(--line); border-radius: 10px; padding: 16px 24px; margin-bottom: 20px; overflow-x: auto } h2 { font-size: 17px; margin: 0 0 12px }
table { border-collapse: collapse; width: 100% } th { font-weight: 600; color: var(--dim); text-align: right; font-size: 13px } th:first-child, td:first-child { text-align: left } td, th { padding: 5px 10px; border-bottom: 1px solid var(--line); text-align: right; font-variant-numeric: tabular-nums } tr:last-child td { border-bottom: 0 }
td.ok { color: var(--good) } td.no { color: var(--bad); font-weight: 700; background: var(--bad-soft) } .dim { color: var(--dim) } td.who { font-size: 13px; white-space: nowrap }
details { border-top: 1px solid var(--line); padding: 10px 0 } details:first-of-type { border-top: 0 } summary { cursor: pointer; font-weight: 600 } summary span { font-weight: 400; color: var(--dim) }
dl { display: grid; grid-template-columns: 110px 1fr; gap: 6px 14px; margin: 10px 0 0 } dt { color: var(--dim) } dd { margin: 0; min-width: 0 } pre { margin: 0; white-space: pre-wrap; overflow-wrap: anywhere; font: 13px/1.5 ui-monospace, monospace; background: var(--paper); padding: 8px 10px; border-radius: 6px }
.want { color: var(--good) } .got { color: var(--bad) } .bar { display: inline-block; height: 9px; border-radius: 4px; background: var(--dim); vertical-align: middle } ul { margin: 0; padding-left: 20px } li { margin: 2px 0 }
`;

const escaped = (text: string): string =>
  text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;');

function failureHtml({ case: one, failure }: Outcome, url: string): string {
  const { sent, answer, faults } = failure!;
  const body = JSON.stringify(answer.body, null, 2) ?? 'no body';
  return `<details open><summary>${escaped(one.title)} <span>${escaped(one.model)}, ${one.endpoint}</span></summary><dl>
${faults.map(({ what, expected, got }) => `<dt>${escaped(what)}</dt><dd><pre><span class="want">expected  ${escaped(expected)}</span>\n<span class="got">got       ${escaped(got)}</span></pre></dd>`).join('\n')}
<dt>sent</dt><dd><pre>${escaped(curlOf(sent, url))}</pre></dd>
<dt>answered</dt><dd><pre>${answer.status} ${escaped(body.length > 2000 ? `${body.slice(0, 1997)}…` : body)}</pre></dd></dl></details>`;
}

/** The developer's own trials. */
function scenariosHtml(outcomes: readonly Outcome[]): string {
  const all = outcomes.filter((one) => one.case.endpoint === 'scenario');
  if (all.length === 0) return '';
  const rows = all.map(
    ({ case: one, failure }) =>
      `<tr><td>${escaped(one.title)} <span class="dim">${escaped(one.model)}</span></td><td class="${failure === undefined ? 'ok' : 'no'}">${failure === undefined ? 'passed' : 'failed'}</td></tr>`,
  );
  return `<section><h2>Scenarios</h2><table>${rows.join('')}</table></section>`;
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
  return `<table><tr><th></th>${used.map((name) => `<th>${name}</th>`).join('')}</tr>${rows.join('')}</table>`;
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
  const rows = [...met].map(
    ([row, cells]) =>
      `<tr><td>${escaped(row)}</td>${names.map((name) => `<td class="who">${[...(cells.get(name) ?? [])].sort().join(' ') || '<span class="dim">·</span>'}</td>`).join('')}</tr>`,
  );
  return `<section><h2>What callers were answered</h2><table><tr><th></th>${names.map((name) => `<th>${escaped(name)}</th>`).join('')}</tr>${rows.join('')}</table></section>`;
}

function coverageHtml(coverage: Coverage): string {
  const parts = Object.entries(coverage).map(([what, { all, missing }]) => {
    const head = `${all - missing.length} of ${all} ${what} were met`;
    if (missing.length === 0) return `<p>${head}.</p>`;
    return `<details><summary>${head} <span>${missing.length} were not</span></summary><ul>${missing.map((one) => `<li>${escaped(one)}</li>`).join('')}</ul></details>`;
  });
  return parts.join('\n');
}

function slowest(outcomes: readonly Outcome[]): string {
  const slow = [...outcomes].sort((one, other) => other.milliseconds - one.milliseconds).slice(0, 8);
  const most = slow[0]?.milliseconds ?? 1;
  const rows = slow.map(
    ({ case: one, milliseconds }) =>
      `<tr><td>${escaped(one.model)}, ${one.endpoint}: ${escaped(one.title)}</td><td>${milliseconds.toFixed(0)} ms</td><td style="width:220px;text-align:left"><span class="bar" style="width:${Math.max(4, Math.round((200 * milliseconds) / most))}px"></span></td></tr>`,
  );
  return `<table>${rows.join('')}</table>`;
}
