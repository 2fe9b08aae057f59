import { journalTable, samplesTable } from '../../core/tables/own-tables.ts';
import { isGone } from '../../core/tables/remembered.ts';
import type { Remembered } from '../../core/tables/remembered.ts';
import type { InsideSpelling } from './inside.ts';
import { quoteName as name, quoteText } from './quote.ts';

const JOURNAL = name(journalTable.name);
const SAMPLES = name(samplesTable.name);
/** Stands before names that are on their way, while others still have them. No model's name has it. */
const ASIDE = '>';

const listed = (names: readonly string[]): string => names.map(quoteText).join(', ');

const chosen = (x: string, names: ReadonlyMap<string, string>): string =>
  `CASE ${x} ` +
  `${[...names].map(([from, to]) => `WHEN ${quoteText(from)} THEN ${quoteText(to)}`).join(' ')} ` +
  `ELSE ${x} END`;

/** The statements that take along what is remembered by the names of models and members. */
export function rememberedSql(remembered: readonly Remembered[], inside: InsideSpelling): string[] {
  const models = new Map(
    remembered.filter(({ model, becomes }) => model !== becomes).map(({ model, becomes }) => [model, becomes]),
  );
  const model = name('model');
  const statements =
    models.size === 0
      ? []
      : [
          `UPDATE ${JOURNAL} SET ${model} = ${chosen(model, models)} WHERE ${model} IN (${listed([...models.keys()])})`,
          ...samplesSql(models),
        ];
  const changes = name('changes');
  for (const { becomes, members } of remembered.filter((one) => one.members.size > 0)) {
    const { from, name: member, value } = inside.members(changes, 'e');
    const renamed = inside.object(chosen(member, members), value, from, 'TRUE', 'e');
    const has = `EXISTS (SELECT 1 FROM ${from} WHERE ${member} IN (${listed([...members.keys()])}))`;
    statements.push(`UPDATE ${JOURNAL} SET ${changes} = ${renamed} WHERE ${model} = ${quoteText(becomes)} AND ${has}`);
  }
  return statements;
}

/** Samples of a model that goes are forgotten: loaded again, they are made again. */
function samplesSql(models: ReadonlyMap<string, string>): string[] {
  const sample = name('name');
  const isOf = (of: string): string => `substr(${sample}, 1, ${of.length + 1}) = ${quoteText(`${of}/`)}`;
  const [gone, renamed] = [[...models].filter(([, to]) => isGone(to)), [...models].filter(([, to]) => !isGone(to))];
  const fresh = renamed.filter(([from]) => !isGone(from));
  return [
    ...gone.map(([from]) => `DELETE FROM ${SAMPLES} WHERE ${isOf(from)}`),
    ...fresh.map(
      ([from, to]) =>
        `UPDATE ${SAMPLES} SET ${sample} = ${quoteText(`${ASIDE}${to}`)} || ` +
        `substr(${sample}, ${from.length + 1}) ` +
        `WHERE ${isOf(from)}`,
    ),
    ...(fresh.length === 0
      ? []
      : [`UPDATE ${SAMPLES} SET ${sample} = substr(${sample}, 2) WHERE ${sample} LIKE ${quoteText(`${ASIDE}%`)}`]),
  ];
}
