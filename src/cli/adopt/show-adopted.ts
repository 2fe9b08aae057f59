import type { Adopted } from '../../core/adopt/models.ts';
import type { AdoptionNote } from '../../core/adopt/taken.ts';
import { usualEndpoints } from '../../core/declaration/model-shape.ts';
import type { ModelDeclaration } from '../../core/declaration/declarations.ts';
import { tableOf } from '../../core/text/names.ts';
import { withoutPassword } from '../../core/text/without-password.ts';
import { isFile } from '../../project/project.ts';
import { shownPath, shownStore } from '../../project/shown-path.ts';
import type { Context } from '../command.ts';
import { table } from '../terminal/table.ts';
import { counted } from '../terminal/terminal.ts';

const MOST_MODELS = 40;
const MOST_NOTES = 60;

/** Tells what was taken of a database, what was left, and why. */
export function showAdopted({ terminal }: Context, { models, notes }: Adopted, folder: string, address: string): void {
  const { bold, cyan } = terminal.paint;
  const store = isFile(address) ? shownStore(address) : withoutPassword(address);
  terminal.value({
    ...{ folder, store },
    models: models.map((model) => ({
      ...{ model: model.model, table: tableOf(model), file: `models/${model.model}.yaml` },
      ...{ fields: Object.keys(model.fields ?? {}).length, relations: Object.keys(model.relations ?? {}).length },
      endpoints: model.endpoints ?? usualEndpoints,
    })),
    notes,
  });
  terminal.show(`wrote ${counted(models.length, 'model')} into ${bold(shownPath(folder))}, of ${store}\n`);
  const rows = models.slice(0, MOST_MODELS).map(rowOf);
  terminal.show(table([['model', 'table', 'fields', 'relations', 'endpoints'], ...rows], [2, 3]));
  if (models.length > MOST_MODELS) terminal.show(`and ${models.length - MOST_MODELS} more`);
  showNotes(terminal, notes, 'left out', 'left out');
  showNotes(terminal, notes, 'changed', 'otherwise than in the database');
  showNotes(terminal, notes, 'look', 'worth a look');
  const shown = shownPath(folder);
  const inside = shown === '.' ? '' : ` -C ${shown}`;
  const steps = [
    [`vantfell check${inside}`, 'do the models fit the database?'],
    [`vantfell serve${inside}`, 'serve it'],
    [`vantfell export samples${inside} --rows 50`, 'samples, for trial'],
    [`vantfell migrate draft${inside}`, 'let the models lead from now on'],
  ];
  terminal.show(`\nGo on with\n${table(steps.map(([command, about]) => [`  ${cyan(command)}`, about!]))}`);
}

function rowOf(model: ModelDeclaration): string[] {
  const { endpoints = usualEndpoints } = model;
  const isAll = usualEndpoints.every((name) => endpoints.includes(name));
  const count = (of: object | undefined): string => String(Object.keys(of ?? {}).length);
  return [
    model.model,
    tableOf(model),
    count(model.fields),
    count(model.relations),
    isAll ? 'all' : endpoints.join(', '),
  ];
}

function showNotes(
  terminal: Context['terminal'],
  notes: readonly AdoptionNote[],
  what: AdoptionNote['what'],
  title: string,
): void {
  const some = notes.filter((note) => note.what === what);
  if (some.length === 0) return;
  const rows = some.slice(0, MOST_NOTES).map(({ at, text }) => [`  ${at}`, text]);
  terminal.show(`\n${title}\n${table(rows)}`);
  if (some.length > MOST_NOTES) terminal.show(`  and ${some.length - MOST_NOTES} more: --json has them all`);
}
