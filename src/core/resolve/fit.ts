import type { Reporter } from '../declaration/reporter.ts';
import { reporterOf } from '../declaration/reporter.ts';
import { byPlace } from '../declaration/problem.ts';
import type { Problem } from '../declaration/problem.ts';
import type { Field, Rules, Stored } from '../model/field.ts';
import type { Graph } from '../model/graph.ts';
import { modelOf } from '../model/graph.ts';
import { partsOf, storedFields } from '../model/joined-key.ts';
import type { EndpointName, Model } from '../model/model.ts';
import { COUNTED, TEXTUAL } from '../model/types.ts';
import { columnCalled, tableCalled } from '../tables/catalogue.ts';
import type { Catalogue, CatalogueColumn, CatalogueTable } from '../tables/catalogue.ts';
import { stateTable } from '../tables/own-tables.ts';
import { nearest } from '../text/nearest.ts';
import type { DeclaredModel } from './model-draft.ts';

/** Whether a database has the tables that the tool makes for itself. */
export const hasOwnTables = ({ tables }: Catalogue): boolean => tables.some(({ name }) => name === stateTable.name);

/**
 * Fits the fields to the columns of a database that was there already. Rules become as narrow as those: a value that a
 * column doesn't take is refused as any other wrong one.
 */
export function fitFields(models: readonly Model[], catalogue: Catalogue): void {
  for (const model of models) {
    const table = tableCalled(catalogue, model.table);
    for (const field of storedFields(model)) {
      const column = table && columnCalled(table, field.column);
      if (column?.kind === undefined) continue;
      Object.assign(field, { stored: storedIn(column, field) } satisfies Partial<Field>);
      Object.assign(field.rules, narrower(field, column));
    }
  }
}

function storedIn(column: CatalogueColumn, field: Field): Stored {
  const kind = column.kind!;
  const form = kind.as[field.type] ?? '';
  const isOfService = field.origin === 'stamp' || field.origin === 'relation' || !field.rules.readOnly;
  const isFilled = typeof column.preset === 'object' && 'words' in column.preset;
  const made =
    column.made === 'value' || (!isOfService && field.origin === 'field' && (isFilled || column.made === 'number'));
  return {
    type: column.type,
    ...(form === '' ? {} : { form }),
    ...(made ? { made } : {}),
    ...(kind.maximum === undefined ? {} : { most: kind.maximum }),
    ...(kind.widest === undefined ? {} : { widest: kind.widest }),
  };
}

function narrower({ type, rules, origin }: Field, { kind }: CatalogueColumn): Partial<Rules> {
  const { minimum, maximum, maxLength } = kind!;
  const isCounted = COUNTED.includes(type);
  const isText = TEXTUAL.includes(type);
  if (origin !== 'field') return {};
  return {
    ...(isCounted && minimum !== undefined && rules.exclusiveMinimum === undefined
      ? { minimum: Math.max(minimum, rules.minimum ?? minimum) }
      : {}),
    ...(isCounted && maximum !== undefined && rules.exclusiveMaximum === undefined
      ? { maximum: Math.min(maximum, rules.maximum ?? maximum) }
      : {}),
    ...(isText && maxLength !== undefined && rules.enum === undefined
      ? { maxLength: Math.min(maxLength, rules.maxLength ?? maxLength) }
      : {}),
  };
}

/** Where the models and the database that they are to serve don't agree. */
export function checkFit(
  graph: Graph,
  declared: readonly DeclaredModel[],
  catalogue: Catalogue,
  service: Reporter,
): Problem[] {
  const problems: Problem[] = [];
  const isBare = !hasOwnTables(catalogue);
  if (isBare && graph.identity !== undefined)
    service.error('needs-own-tables', whatNeeds('an identity'), MAKE_OWN, ['identity'], 'key');
  for (const { declaration, document } of declared) {
    const report = reporterOf(document, problems);
    const model = modelOf(graph, declaration.model);
    if (isBare && model.journal) report.error('needs-own-tables', whatNeeds('a journal'), MAKE_OWN, ['journal'], 'key');
    const table = tableCalled(catalogue, model.table);
    const at = declaration.table === undefined ? ['model'] : ['table'];
    if (table === undefined) {
      const names = catalogue.tables.map(({ name }) => name);
      report.error('no-such-table', `the database has no table ${model.table}`, nearestTo(model.table, names), at);
      continue;
    }
    for (const field of storedFields(model)) checkField(field, table, pathOf(model, field, declaration), report);
    checkLinks(model, catalogue, report);
    checkRights(model, table, report);
  }
  return problems.sort(byPlace);
}

const MAKE_OWN = 'vantfell migrate own makes the tables for it';
const whatNeeds = (what: string): string => `${what} needs tables of the tool's own, which the database doesn't have`;

function pathOf({ relations, key }: Model, field: Field, declaration: DeclaredModel['declaration']): readonly string[] {
  const relation = relations.find((one) => partsOf(one.field).includes(field));
  if (relation !== undefined)
    return declaration.relations?.[relation.name] === undefined ? ['within'] : ['relations', relation.name];
  if (declaration.fields?.[field.member] !== undefined) return ['fields', field.member];
  if (field === key) return declaration.key === undefined ? ['model'] : ['key'];
  return declaration.stamps === undefined ? ['model'] : ['stamps'];
}

function checkField(field: Field, table: CatalogueTable, path: readonly string[], report: Reporter): void {
  const column = columnCalled(table, field.column);
  if (column === undefined) {
    const names = table.columns.map(({ name }) => name);
    const message = `the table ${table.name} has no column ${field.column}`;
    const remedy =
      field.origin === 'stamp'
        ? `${nearestTo(field.column, names)}; or say \`stamps: false\``
        : nearestTo(field.column, names);
    report.error('no-such-column', message, remedy, path, 'key');
  } else if (column.kind === undefined) {
    const message = `the column ${field.column} is ${column.type}, which has no form in JSON`;
    report.error('other-type', message, 'leave the field out', path, 'key');
  } else if (column.kind.as[field.type] === undefined) {
    const message = `the column ${field.column} is ${column.type}, which can not be read as ${field.type}`;
    report.error('other-type', message, `take ${Object.keys(column.kind.as).join(' or ')}`, path, 'key');
  }
}

function checkLinks({ links }: Model, catalogue: Catalogue, report: Reporter): void {
  for (const { name, member, table, near, far } of links) {
    if (member === undefined) continue;
    const path = ['relations', name];
    const found = tableCalled(catalogue, table);
    if (found === undefined) {
      const names = catalogue.tables.map((one) => one.name);
      report.error('no-such-table', `the database has no table ${table}`, nearestTo(table, names), path, 'key');
      continue;
    }
    const names = found.columns.map((one) => one.name);
    for (const column of [near, far].filter((one) => !names.includes(one)))
      report.error(
        'no-such-column',
        `the table ${table} has no column ${column}`,
        nearestTo(column, names),
        path,
        'key',
      );
  }
}

const NEEDS: Readonly<Record<EndpointName, readonly (keyof CatalogueTable['may'])[]>> = {
  ...{ list: [], read: [], create: ['insert'], replace: ['insert', 'update'], update: ['update'] },
  ...{ delete: ['delete'], clear: ['delete'] },
};

/** Endpoints whose every request the database would refuse. */
function checkRights({ endpoints }: Model, { name, may }: CatalogueTable, report: Reporter): void {
  const refused = [...endpoints].filter((endpoint) => NEEDS[endpoint].some((act) => !may[act]));
  if (refused.length === 0) return;
  const allowed = [...endpoints].filter((endpoint) => !refused.includes(endpoint));
  const message = `the account may not change ${name} so that ${refused.join(', ')} could answer`;
  report.error(
    'may-not-write',
    message,
    `say \`endpoints: [${allowed.join(', ')}]\`, or use another account`,
    ['model'],
    'key',
  );
}

/** What to write in place of a name that is not there. */
function nearestTo(name: string, names: readonly string[]): string {
  const same = names.find((one) => one.toLowerCase() === name.toLowerCase());
  if (same !== undefined) return `it has ${same}, which differs in the case of its letters: write it so`;
  const near = nearest(name, names);
  return near === undefined ? 'name one that is there' : `did you mean ${near}?`;
}
