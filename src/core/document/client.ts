import { collectionPath, endpointsOf } from '../api/endpoints.ts';
import { problemTypes } from '../api/problems.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import { mustBeGiven } from '../rules/schema.ts';
import { camelCase, underscored, withArticle } from '../text/names.ts';
import { declared, modelEntry, modelTypes, ownMembers, tsName } from './api-types.ts';
import { indented, literal, memberName, remark, typeOf } from './typescript.ts';

/** The parts of a client that are the same for every project, as text. */
export interface ClientParts {
  readonly runtime: string;
  readonly typing: string;
}

/** A client of a service: one TypeScript file that needs nothing but `fetch`. */
export function clientText(graph: Graph, { runtime, typing }: ClientParts): string {
  const { name, version, prefix } = graph.service;
  return (
    [
      `// A client of ${name} ${version}. Written by \`vantfell export client\`: do ` +
        'it again when the models have changed.\n/* eslint-disable */',
      ...graph.models.flatMap((model) => [
        ...modelTypes(graph, model),
        declared(
          `${tsName(model)}_own`,
          ownMembers(graph, model),
          `All that ${withArticle(model.name)} may show of itself.`,
        ),
      ]),
      [
        'export interface Models {',
        ...graph.models.flatMap((model) => indented(modelEntry(graph, model), 2)),
        '}',
      ].join('\n'),
      '/** The problems that the service answers with. */\n' +
        'export type ProblemKind = ' +
        `${Object.keys(problemTypes).map(literal).join(' | ')};`,
      withoutImports(typing),
      withoutImports(runtime),
      [
        '/** Everything that the service offers. */',
        'export interface Client {',
        ...graph.models.flatMap((model) =>
          indented(
            [
              ...remark(model.description, model.deprecated),
              `${propertyName(model)}: ${collectionType(graph, model)};`,
            ],
            2,
          ),
        ),
        ...(graph.identity === undefined ? [] : indented(['session: {', ...indented(sessionLines(graph), 2), '};'], 2)),
        '}',
      ].join('\n'),
      [
        'const TABLE: Table = {',
        ...(graph.identity === undefined
          ? []
          : [`  tokens: ${literal(`${prefix}/tokens`)},`, `  me: ${literal(`${prefix}/me`)},`]),
        `  keysAreCallers: ${graph.identity !== undefined},`,
        '  models: {',
        ...graph.models.map((model) => `    ${propertyName(model)}: ${JSON.stringify(routeOf(graph, model))},`),
        '  },',
        '};',
      ].join('\n'),
      '/**\n * A client of the service at an address.\n' +
        " *\n * @example\n * const api = client({ url: 'http://127.0.0.1:8080' });\n" +
        ' */\nexport const client = (options: ClientOptions): Client => connect(TABLE, ' +
        'options) as Client;',
    ].join('\n\n') + '\n'
  );
}

const withoutImports = (text: string): string => text.replaceAll(/^import [^;]+;\n/gm, '').trim();

/** The property of a client that has a model's records. */
const propertyName = (model: Model): string => {
  const name = camelCase(model.plural);
  return memberName(name === 'session' ? 'session_' : name);
};

/** The methods of every collection. */
const METHODS = [
  'list',
  'each',
  'create',
  'createMany',
  'read',
  'replace',
  'update',
  'patch',
  'delete',
  'clear',
  'journal',
  'journalOf',
  'within',
];

const methodName = (operation: string): string =>
  METHODS.includes(camelCase(operation)) ? `${camelCase(operation)}_` : camelCase(operation);

function collectionType(graph: Graph, model: Model): string {
  const name = tsName(model);
  const quoted = literal(name);
  const has = (endpoint: 'list' | 'read' | 'create' | 'replace' | 'update' | 'delete' | 'clear'): boolean =>
    model.endpoints.has(endpoint);
  const members = [
    ...model.operations.map((operation) => operationLine(graph, model, operation)),
    ...(model.journal
      ? ['journal: JournalLists;', `journalOf(key: ${typeOf(model.key, 'response')}): JournalLists;`]
      : []),
    ...partsLine(graph, model),
  ];
  const types = [
    ...(has('list') ? [`Lists<${quoted}, ${literal(model.listView)}>`] : []),
    ...(has('read') ? [`Reads<${quoted}>`] : []),
    ...(has('create') ? [`Creates<${quoted}, ${createType(model)}>`] : []),
    ...(has('replace') ? [`Replaces<${quoted}, ${name}_replace>`] : []),
    ...(has('update') ? [`Updates<${quoted}, ${name}_update>`] : []),
    ...(has('delete') ? [`Deletes<${quoted}>`] : []),
    ...(has('clear') ? [`Clears<${quoted}>`] : []),
    ...(members.length > 0 ? [`{\n${indented(members, 4).join('\n')}\n  }`] : []),
  ];
  return types.length === 0 ? '{}' : types.join(' & ');
}

/** Outside of its parent's path, a child names its parent in its body. */
const createType = (model: Model): string =>
  model.parent === undefined
    ? `${tsName(model)}_create`
    : `${tsName(model)}_create & { ${model.parent.field.member}: ${typeOf(model.parent.field, 'request')} }`;

function operationLine(graph: Graph, model: Model, operation: Model['operations'][number]): string {
  const { name, input, output, target } = operation;
  const called = `${tsName(model)}_${underscored(name)}`;
  const isAsked = [...input.values()].some(mustBeGiven);
  const given = [
    ...(target === 'record' ? [`key: ${typeOf(model.key, 'response')}`] : []),
    input.size === 0 ? 'input?: Record<string, never>' : `input${isAsked ? '' : '?'}: ${called}_input`,
    'options?: MakeOptions',
  ];
  const record = output === undefined || output.kind === 'fields' ? undefined : tsName(modelOf(graph, output.model));
  const result =
    output === undefined
      ? 'void'
      : output.kind === 'fields'
        ? `${called}_output`
        : output.kind === 'many'
          ? `readonly ${record}[]`
          : `${record} | null`;
  return [
    ...remark(operation.description, operation.deprecated),
    `${memberName(methodName(name))}(${given.join(', ')}): Promise<${result}>;`,
  ].join('\n    ');
}

function partsLine(graph: Graph, model: Model): string[] {
  const parts = partsOf(graph, model).map(({ part, lists, creates }) => {
    const quoted = literal(tsName(part));
    const types = [
      ...(lists ? [`Lists<${quoted}, ${literal(part.listView)}>`] : []),
      ...(creates ? [`Creates<${quoted}, ${tsName(part)}_create>`] : []),
    ];
    return `${propertyName(part)}: ${types.join(' & ')}`;
  });
  return parts.length === 0 ? [] : [`within(key: ${typeOf(model.key, 'response')}): { ${parts.join('; ')} };`];
}

const partsOf = (graph: Graph, model: Model) =>
  model.parts
    .map((name) => modelOf(graph, name))
    .map((part) => ({ part, lists: part.endpoints.has('list'), creates: part.endpoints.has('create') }))
    .filter(({ lists, creates }) => lists || creates);

function sessionLines({ identity, byName }: Graph): string[] {
  const model = byName.get(identity!.model)!;
  const { login, secret } = identity!;
  const signIn =
    login === undefined || secret === undefined
      ? []
      : [
          '/** Signs in; requests carry the token from then on. */',
          `signIn(credentials: { ${login.member}: string; ${secret.member}: string }, ` +
            'options?: RequestOptions): Promise<{ readonly access_token: string; readonly ' +
            `token_type: 'Bearer'; readonly expires_in: number }>;`,
          '/** Forgets the token, which is still good. */',
          'signOut(): void;',
        ];
  const name = literal(tsName(model));
  return [
    ...signIn,
    "/** Ends all of the caller's tokens. */",
    'revoke(options?: RequestOptions): Promise<void>;',
    "/** The caller's own record. */",
    `me<V extends keyof Models[${name}]['views'] = 'default', F extends ` +
      `FieldPath<${name}> = never, I extends IncludePath<${name}> = never>(options?: ` +
      `ShownOptions<${name}, V, F, I>): Promise<Shown<${name}, V, F, I>>;`,
  ];
}

function routeOf(graph: Graph, model: Model): object {
  const operations = endpointsOf(graph, model).flatMap(({ operation }) => operation ?? []);
  return {
    path: collectionPath(graph, model),
    operations: Object.fromEntries(
      operations.map(({ name, reads, target }) => [methodName(name), { name, reads, ofRecord: target === 'record' }]),
    ),
    parts: Object.fromEntries(partsOf(graph, model).map(({ part }) => [propertyName(part), part.plural])),
  };
}
