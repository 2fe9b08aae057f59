import { LIST_PARAMETERS } from '../api/parameters.ts';
import type { Problem } from '../declaration/problem.ts';
import { reporterOf } from '../declaration/reporter.ts';
import type { Reporter } from '../declaration/reporter.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import { partsOf } from '../model/joined-key.ts';
import type { Model } from '../model/model.ts';
import { pascalCase } from '../text/names.ts';
import type { DeclaredModel } from './model-draft.ts';

/** Path segments that the service itself answers at. */
const OWN_SEGMENTS = ['tokens', 'me'];
/** And those where codes come back. */
const CODE_SEGMENTS = ['verification', 'reset'];
const OWN_ROOT_SEGMENTS = ['health', 'problems', 'metrics'];

/** Names that would make two routes, two tables, two columns or two JSON members alike. */
export function checkNames(graph: Graph, sources: readonly DeclaredModel[]): Problem[] {
  const problems: Problem[] = [];
  const own = graph.identity?.codes === undefined ? OWN_SEGMENTS : [...OWN_SEGMENTS, ...CODE_SEGMENTS];
  const reserved = graph.service.prefix === '' ? [...own, ...OWN_ROOT_SEGMENTS] : own;
  const paths = new Map<string, string>();
  const documentNames = new Map<string, string>();
  const tables = new Map<string, string>();
  const models = sources.map((source) => ({ source, model: modelOf(graph, source.declaration.model) }));

  for (const { source, model } of models) {
    const { declaration, document } = source;
    const report = reporterOf(document, problems);
    const at = (key: 'plural' | 'table'): [string] => [declaration[key] === undefined ? 'model' : key];

    const otherPath = paths.get(model.plural);
    if (otherPath !== undefined) {
      const message = `${model.name} and ${otherPath} both answer at /${model.plural}`;
      report.error('same-path', message, 'give one of them another plural', at('plural'), 'key');
    } else if (reserved.includes(model.plural)) {
      const message = `/${model.plural} is a path of the service itself`;
      report.error('reserved-name', message, 'choose another plural', at('plural'), 'key');
    }
    paths.set(model.plural, model.name);

    const shown = pascalCase(model.name);
    const otherName = documentNames.get(shown);
    if (otherName !== undefined) {
      const message = `${model.name} and ${otherName} would both be ${shown} in the OpenAPI document`;
      report.error('same-name', message, 'give one of them another name', ['model'], 'key');
    }
    documentNames.set(shown, model.name);

    const table = model.table.toLowerCase();
    const otherTable = tables.get(table);
    if (otherTable !== undefined) {
      const message = `${model.name} and ${otherTable} both use the table ${model.table}`;
      report.error('same-table', message, 'give one of them another table', at('table'), 'key');
    } else if (/^(vantfell|sqlite|pg)_/.test(table)) {
      const message = `the table ${model.table} begins with a reserved word`;
      report.error('reserved-name', message, 'choose another table', at('table'), 'key');
    }
    tables.set(table, model.name);
    refuseLong(report, 'table', model.table, at('table'));
    checkMembers(model, source, report);
  }
  // Tables of links come last, so that the models' own are known by then.
  for (const { source, model } of models) {
    for (const { name, table, member } of model.links) {
      if (member === undefined) continue;
      const report = reporterOf(source.document, problems);
      refuseLong(report, 'table', table, ['relations', name]);
      const other = tables.get(table.toLowerCase());
      if (other !== undefined) {
        const message = `the links of ${model.name}.${name} and ${other} both use the table ${table}`;
        report.error('same-table', message, 'give the relation another name', ['relations', name], 'key');
      }
      tables.set(table.toLowerCase(), `the links of ${model.name}.${name}`);
    }
  }
  return problems;
}

/** Databases cut longer names, or refuse them. */
const MOST_BYTES = 63;

function refuseLong(report: Reporter, what: 'table' | 'column', name: string, path: readonly string[]): void {
  if (Buffer.byteLength(name) <= MOST_BYTES) return;
  const message = `the ${what} \`${name}\` has a name of more than ${MOST_BYTES} bytes`;
  report.error('bad-name', message, `give it a shorter one with \`${what}\`, or a shorter name`, path, 'key');
}

/** Everything that an answer may have a member for: stored, computed and related. */
function checkMembers(model: Model, { declaration }: DeclaredModel, report: Reporter): void {
  const named = new Map<string, string>();
  const columns = new Map<string, string>();
  const claim = (name: string, what: string, path: readonly string[]): void => {
    const other = named.get(name);
    if (other !== undefined) {
      const message = `${model.name} would have two members \`${name}\`: ${other} and ${what}`;
      report.error('same-member', message, 'give one of them another name', path, 'key');
    }
    named.set(name, what);
    // What stands there by its own name has been refused with all such names.
    if (name === 'constructor' && ['within', 'model', 'stamps'].includes(path[0]!)) {
      report.error(
        'reserved-name',
        '`constructor` means something else in JavaScript',
        'choose another name',
        path,
        'key',
      );
    }
    if ((LIST_PARAMETERS as readonly string[]).includes(name)) {
      const message = `\`${name}\` is also a parameter of lists, so no list can be narrowed by it as ?${name}=…`;
      report.warn('named-like-parameter', message, 'another name avoids it', path, 'key');
    }
  };
  const relationPath = (name: string): readonly string[] =>
    declaration.relations?.[name] === undefined ? ['within'] : ['relations', name];

  for (const field of model.fields) {
    const relation = model.relations.find((candidate) => candidate.field === field);
    const path =
      relation !== undefined
        ? relationPath(relation.name)
        : field.origin === 'stamp' && typeof declaration.stamps === 'object'
          ? ['stamps']
          : declaration.fields?.[field.member] === undefined
            ? [field.parts === undefined ? 'model' : 'key']
            : ['fields', field.member];
    const what = { key: 'the key', field: 'a field', relation: `the key of \`${relation?.name}\``, stamp: 'a stamp' }[
      field.origin
    ];
    claim(field.member, what, path);
    // The columns of a key of several fields are those of the fields.
    const own = field === model.key && field.parts !== undefined ? [] : partsOf(field);
    for (const part of own) {
      refuseLong(report, 'column', part.column, path);
      const column = part.column.toLowerCase();
      const other = columns.get(column);
      if (other !== undefined && other !== field.member) {
        const message = `\`${field.member}\` and \`${other}\` share the column ${part.column}`;
        report.error('same-column', message, 'name another column', path, 'key');
      }
      columns.set(column, field.member);
    }
  }
  for (const name of Object.keys(declaration.computed ?? {})) claim(name, 'a computed value', ['computed', name]);
  for (const { member, name } of model.links) {
    if (member !== undefined) claim(member, `the keys of \`${name}\``, ['relations', name]);
  }
  for (const { name } of [...model.relations, ...model.links, ...model.reverses]) {
    claim(name, 'a relation', relationPath(name));
  }
}
