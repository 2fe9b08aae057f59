import { fillable, isStopped } from '../../core/migrations/count.ts';
import { backFile, forwardFile } from '../../core/migrations/draft.ts';
import type { Drafted } from '../../core/migrations/draft.ts';
import type { CountedSummary } from '../../core/migrations/schema-mismatch.ts';
import type { StoreKind } from '../../core/model/service.ts';
import { riskText } from '../../core/tables/change-summary.ts';
import type { Context } from '../command.ts';
import { table } from '../terminal/table.ts';
import type { Terminal } from '../terminal/terminal.ts';

/** A migration that was drafted, with the rows counted that it meets. */
export interface WrittenMigration {
  readonly drafted: Drafted;
  readonly summaries: readonly CountedSummary[];
  /** The tables as they stand: nothing to run in this database. */
  readonly isAdopted: boolean;
  /** What it does could be done in two steps. */
  readonly isDivisible: boolean;
}

interface Shown {
  readonly files: readonly string[];
  readonly sql: boolean;
}

/** Says what was drafted, and what to do next. */
export function showDraft(
  { terminal }: Context,
  stores: readonly StoreKind[],
  written: readonly WrittenMigration[],
  { files, sql }: Shown,
): void {
  terminal.value({
    written: written.map(({ drafted }) => drafted.name),
    files,
    changes: written.flatMap(({ summaries }) => summaries).map(changeValue),
  });
  for (const { drafted, summaries, isAdopted } of written) {
    const name = terminal.paint.bold(`migrations/${drafted.name}`);
    if (isAdopted) terminal.show(`${name}: the tables as they stand, which this database need not run`);
    else terminal.show(`${name}${drafted.isSecondStep ? ': once no service of an older version runs' : ''}`);
    if (isAdopted) continue;
    terminal.show(table(summaries.map((summary) => changeRow(terminal, summary, drafted))));
    if (sql) showSql(terminal, stores, drafted);
  }
  const drafts = written.filter(({ isAdopted }) => !isAdopted);
  if (drafts.length > 0) sayNext(terminal, drafts);
}

const changeValue = ({ subject, text, risks, goesOn }: CountedSummary) => ({
  subject,
  text,
  risks: risks.map((risk) => ({ consequence: risk.consequence, rows: risk.count, text: riskText(risk, risk) })),
  servicesGoOn: goesOn,
});

function changeRow({ paint }: Terminal, summary: CountedSummary, { stopsServices }: Drafted): string[] {
  const { red, yellow } = paint;
  const risks = summary.risks.flatMap((risk) => {
    const color = { loses: red, stops: yellow, fills: String }[risk.consequence];
    const words = riskText(risk, risk);
    return words === '' ? [] : [color(words)];
  });
  const stops = stopsServices && !summary.goesOn ? [yellow('services stop')] : [];
  return [`  ${summary.subject}`, [summary.text, ...risks, ...stops].join('; ')];
}

function showSql({ show, paint }: Terminal, stores: readonly StoreKind[], { files }: Drafted): void {
  for (const kind of stores) {
    show(`\n${paint.dim(files[forwardFile(kind)] ?? '')}\n${paint.dim(files[backFile(kind)] ?? '')}`.trimEnd());
  }
}

function sayNext(terminal: Terminal, drafts: readonly WrittenMigration[]): void {
  const summaries = drafts.flatMap((one) => one.summaries);
  if (summaries.some(isStopped)) {
    const fill = fillable(summaries);
    const again = fill === undefined ? '' : `; or delete it, and draft again with --fill ${fill}=…`;
    terminal.say(`mend those rows before you run it${again}`);
  }
  const stopping = drafts.find(({ drafted }) => drafted.stopsServices);
  if (stopping !== undefined) {
    const way = stopping.isDivisible ? '; to let them go on: delete it, and draft again with --two-steps' : '';
    terminal.say(`services that run meanwhile stop at it, and answer 503 until they are started again${way}`);
  }
  const [first, second] = drafts.map(({ drafted }) => drafted.isSecondStep);
  const how = first === true ? 'vantfell migrate run --all, once' : 'vantfell migrate run';
  const later = second === true ? ', before the new version starts; and with --all, once the old one has stopped' : '';
  terminal.say(`read its SQL, then: ${how}${first === true ? ' the old version has stopped' : later}`);
}
