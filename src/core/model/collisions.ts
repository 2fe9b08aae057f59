import type { Declared } from '../declaration/document.ts';
import type { Problem } from '../declaration/problem.ts';
import type { ModelDeclaration } from './declarations.ts';
import type { Model, ServiceSettings } from './graph.ts';
import { pascalCase } from './names.ts';

/** Path segments that the service itself answers at. */
const OWN_SEGMENTS = ['tokens', 'me'];
const OWN_ROOT_SEGMENTS = ['health', 'problems', 'metrics'];

/** Parameters of a list; a field of such a name can't be asked for as `?name=value`. */
export const LIST_PARAMETERS = [
  'after', 'before', 'fields', 'filter', 'filter-lang', 'include', 'limit', 'offset', 'sort', 'total', 'view',
] as const; // prettier-ignore

type Sources = ReadonlyMap<string, { readonly document: Declared; readonly declaration: ModelDeclaration }>;

/** Names that would make two routes, two tables, two columns or two JSON members alike. */
export function checkNames(service: ServiceSettings, models: readonly Model[], sources: Sources): Problem[] {
  const problems: Problem[] = [];
  const paths = new Map<string, string>();
  const tables = new Map<string, string>();
  const documentNames = new Map<string, string>();
  const reserved = service.prefix === '' ? [...OWN_SEGMENTS, ...OWN_ROOT_SEGMENTS] : OWN_SEGMENTS;

  for (const model of [...models].sort((a, b) => (a.name < b.name ? -1 : 1))) {
    const { document, declaration } = sources.get(model.name)!;
    const complain = (
      code: string,
      message: string,
      remedy: string,
      key: string,
      severity: Problem['severity'] = 'error',
    ) => problems.push({ code, severity, message, remedy, place: document.at(key.split('/'), 'key') });
    const keyOf = (key: 'plural' | 'table'): string => (declaration[key] === undefined ? 'model' : key);

    const otherPath = paths.get(model.plural);
    if (otherPath !== undefined) {
      complain(
        'same-path',
        `${model.name} and ${otherPath} both answer at /${model.plural}`,
        'give one of them another plural',
        keyOf('plural'),
      );
    } else if (reserved.includes(model.plural)) {
      complain(
        'reserved-name',
        `/${model.plural} is a path of the service itself`,
        'choose another plural',
        keyOf('plural'),
      );
    }
    paths.set(model.plural, model.name);

    const shown = pascalCase(model.name);
    const otherName = documentNames.get(shown);
    if (otherName !== undefined) {
      const message = `${model.name} and ${otherName} would both be ${shown} in the OpenAPI document`;
      complain('same-name', message, 'give one of them another name', 'model');
    }
    documentNames.set(shown, model.name);

    const table = model.table.toLowerCase();
    const otherTable = tables.get(table);
    if (otherTable !== undefined) {
      complain(
        'same-table',
        `${model.name} and ${otherTable} both use the table ${model.table}`,
        'give one of them another table',
        keyOf('table'),
      );
    } else if (/^(vantfell|sqlite|pg)_/.test(table)) {
      complain(
        'reserved-name',
        `the table ${model.table} begins with a reserved word`,
        'choose another table',
        keyOf('table'),
      );
    }
    tables.set(table, model.name);

    checkMembers(model, declaration, complain);
  }
  return problems;
}

function checkMembers(
  model: Model,
  declaration: ModelDeclaration,
  complain: (code: string, message: string, remedy: string, key: string, severity?: Problem['severity']) => void,
): void {
  const places = new Map([...Object.keys(declaration.fields ?? {}).map((name) => [name, `fields/${name}`] as const)]);
  const placeOf = (member: string): string => {
    const relation = member.replace(/_id$/, '');
    if (places.has(member)) return places.get(member)!;
    return declaration.relations?.[relation] === undefined ? 'within' : `relations/${relation}`;
  };
  const members = new Set<string>();
  const columns = new Map<string, string>();
  for (const field of model.fields) {
    const place = placeOf(field.member);
    if (members.has(field.member)) {
      const remedy = 'give one of them another name';
      complain('same-member', `${model.name} would have two members \`${field.member}\``, remedy, place);
    } else if (columns.has(field.column.toLowerCase())) {
      const other = columns.get(field.column.toLowerCase());
      complain('same-column', `\`${field.member}\` and \`${other}\` share a column`, 'name another column', place);
    }
    members.add(field.member);
    columns.set(field.column.toLowerCase(), field.member);

    if (field.member === 'constructor') {
      complain('reserved-name', '`constructor` means something else in JavaScript', 'choose another name', place);
    }
    if ((LIST_PARAMETERS as readonly string[]).includes(field.member)) {
      const message = `\`${field.member}\` is also a parameter of lists, so no list can be narrowed by it as ?${field.member}=…`;
      complain('named-like-parameter', message, 'another name avoids it', place, 'warning');
    }
  }
}
