import type { Field, Graph, Model, ValueSpec } from '../model/graph.ts';
import { linkedOf } from '../model/related.ts';

/** TypeScript declarations of a project's models and operations, for the editors of those who write its code. */
export function typeDeclarations(graph: Graph): string {
  const operations = graph.models.flatMap((model) => model.operations.map((operation) => ({ model, operation })));
  return [
    '// Written by `vantfell export types`: do it again when the models have changed.',
    "import 'vantfell';",
    '',
    "declare module 'vantfell' {",
    '  interface Models {',
    ...graph.models.flatMap((model) => indented(modelLines(model), 4)),
    '  }',
    ...(operations.length === 0
      ? []
      : [
          '',
          '  interface Operations {',
          ...operations.flatMap(({ model, operation }) =>
            indented(
              [
                `'${model.name}.${operation.name}': {`,
                ...indented(objectLines('input', inputMembers(operation.input)), 2),
                ...(operation.target === 'record' ? [`  on: '${model.name}';`] : []),
                '};',
              ],
              4,
            ),
          ),
          '  }',
        ]),
    '}',
    '',
  ].join('\n');
}

const indented = (lines: readonly string[], by: number): string[] => lines.map((line) => ' '.repeat(by) + line);

/** A member of an object: its name, whether it may be left out, and its type. */
interface Member {
  readonly name: string;
  readonly type: string;
  readonly optional?: boolean;
  readonly about?: string;
}

function modelLines(model: Model): string[] {
  const shown = model.fields.filter(({ type }) => type !== 'secret');
  const links = linkedOf(model).map(({ member, key }) => ({ name: member, type: `${listed(typeOf(key))}[]` }));
  const record = shown.map((field): Member => ({ name: field.member, type: memberType(field), about: field.description })); // prettier-ignore
  const values = model.fields.map((field): Member => ({ name: field.member, type: memberType(field), optional: !isGiven(field, model) })); // prettier-ignore
  return [
    ...(model.description === undefined ? [] : [`/** ${model.description} */`]),
    `${model.name.includes('-') ? `'${model.name}'` : model.name}: {`,
    `  key: ${typeOf(model.key)};`,
    ...indented(objectLines('record', [...record, ...links]), 2),
    ...indented(objectLines('values', [...values, ...links.map((link) => ({ ...link, optional: true }))]), 2),
    '};',
  ];
}

/** Whether a new record can't be made without this member. */
function isGiven(field: Field, model: Model): boolean {
  const { rules, origin, derivedFrom } = field;
  const byItself =
    origin === 'stamp' || (field === model.key && model.keyKind !== 'field') || derivedFrom !== undefined;
  return rules.required && !byItself && rules.default === undefined && rules.defaultTo === undefined;
}

const inputMembers = (input: ReadonlyMap<string, ValueSpec>): Member[] =>
  [...input].map(([name, spec]) => ({ name, type: memberType(spec), about: spec.description }));

function objectLines(name: string, members: readonly Member[]): string[] {
  if (members.length === 0) return [`${name}: Record<string, never>;`];
  return [
    `${name}: {`,
    ...members.flatMap(({ name: member, type, optional = false, about }) => [
      ...(about === undefined ? [] : [`  /** ${about.replaceAll('*/', '* /')} */`]),
      `  ${member}${optional ? '?' : ''}: ${type};`,
    ]),
    '};',
  ];
}

const memberType = (spec: ValueSpec): string => {
  const isSet = spec.rules.required || spec.rules.default !== undefined;
  return spec.rules.required || (isSet && spec.rules.const !== undefined) ? typeOf(spec) : `${typeOf(spec)} | null`;
};

const listed = (type: string): string => (type.includes('|') ? `(${type})` : type);

function typeOf(spec: ValueSpec): string {
  const { rules } = spec;
  if (rules.const !== undefined) return JSON.stringify(rules.const);
  if (rules.enum !== undefined) return rules.enum.map((value) => (typeof value === 'string' ? `'${value.replaceAll("'", "\\'")}'` : String(value))).join(' | '); // prettier-ignore
  switch (spec.type) {
    case 'integer':
    case 'number':
      return 'number';
    case 'boolean':
      return 'boolean';
    case 'json':
      return 'unknown';
    case 'array':
      return `${listed(typeOf(spec.items!))}[]`;
    case 'object': {
      const members = [...spec.properties!].map(([name, property]) => `${name}${property.rules.required ? '' : '?'}: ${memberType(property)}`); // prettier-ignore
      return members.length === 0 ? 'Record<string, never>' : `{ ${members.join('; ')} }`;
    }
    default:
      return 'string';
  }
}
