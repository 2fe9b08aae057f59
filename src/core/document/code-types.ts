import type { Field, ValueSpec } from '../model/field.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import { linkedOf } from '../model/related.ts';
import { isMadeByService } from '../model/stamps.ts';
import { mustBeGiven } from '../rules/schema.ts';
import { indented, listed, memberLines, memberName, memberType, typeOf } from './typescript.ts';
import type { Member } from './typescript.ts';

/**
 * TypeScript declarations of a project's models and operations, for the editors of those who write its code. With
 * `api`, the declarations of what code imports from this tool, they stand alone: nothing need be installed.
 */
export function codeTypes(graph: Graph, api?: string): string {
  const operations = graph.models.flatMap((model) => model.operations.map((operation) => ({ model, operation })));
  return [
    '// Written by `vantfell export types --code`: do it again when the models have changed.',
    // With an import, what follows is added to the types of the installed package.
    ...(api === undefined ? ["import 'vantfell';", ''] : ['']),
    "declare module 'vantfell' {",
    ...(api === undefined ? [] : [...ambientLines(api), '']),
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

/** Declarations as they stand within a module that is declared, and not written. */
const ambientLines = (api: string): string[] =>
  api
    .trimEnd()
    .split('\n')
    .map((line) => (line === '' ? line : `  ${line.replace(/^(export )?declare /, '$1')}`));

function modelLines(model: Model): string[] {
  const shown = model.fields.filter(({ type }) => type !== 'secret');
  const links = linkedOf(model).map(({ member, key }) => ({
    name: member,
    type: `${listed(typeOf(key, 'response'))}[]`,
  }));
  const record = shown.map((field): Member => ({
    name: field.member,
    type: memberType(field, 'response'),
    about: field.description,
  }));
  const values = model.fields.map((field): Member => ({
    name: field.member,
    type: memberType(field, 'response'),
    optional: !isGiven(field, model),
  }));
  return [
    ...(model.description === undefined ? [] : [`/** ${model.description} */`]),
    `${memberName(model.name)}: {`,
    `  key: ${typeOf(model.key, 'response')};`,
    ...indented(objectLines('record', [...record, ...links]), 2),
    ...indented(objectLines('values', [...values, ...links.map((link) => ({ ...link, optional: true }))]), 2),
    '};',
  ];
}

/** Whether a new record can't be made without this member. */
function isGiven(field: Field, model: Model): boolean {
  return !isMadeByService(model, field) && field.derivedFrom === undefined && mustBeGiven(field);
}

const inputMembers = (input: ReadonlyMap<string, ValueSpec>): Member[] =>
  [...input].map(([name, spec]) => ({ name, type: memberType(spec, 'response'), about: spec.description }));

function objectLines(name: string, members: readonly Member[]): string[] {
  if (members.length === 0) return [`${name}: Record<string, never>;`];
  return [`${name}: {`, ...indented(memberLines(members), 2), '};'];
}
