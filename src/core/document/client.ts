import { operationAct } from '../access/condition.ts';
import type { Act } from '../access/condition.ts';
import { allowedText } from '../access/grant-text.ts';
import { isReadByAll } from '../access/open.ts';
import { CODE, oldMember } from '../api/account-members.ts';
import { collectionPath, endpointsOf } from '../api/endpoints.ts';
import { problemTypes } from '../api/problems.ts';

import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { Identity } from '../model/identity.ts';
import type { Model } from '../model/model.ts';
import { mustBeGiven } from '../rules/schema.ts';
import { camelCase, capitalized, ended, spoken, underscored, withArticle } from '../text/names.ts';
import { declared, modelEntry, modelTypes, ownMembers, tsName } from './api-types.ts';
import { indented, literal, memberName, remark, typeOf } from './typescript.ts';

/**
 * A client of a service: one TypeScript file that needs nothing but `fetch`. `parts` are those that are the same for
 * every project, as text.
 */
export function clientText(graph: Graph, parts: readonly string[]): string {
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
      ...parts.map(withoutImports),
      ...graph.models.map((model) => collectionText(graph, model)),
      [
        '/** Everything that the service offers. */',
        'export interface Client {',
        ...graph.models.flatMap((model) =>
          indented(
            [...remark(model.description, model.deprecated), `${propertyName(model)}: ${collectionName(model)};`],
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

/** The type of a model's property of the client. */
const collectionName = (model: Model): string => `${tsName(model)}_records`;

/** The methods of a model's records, each with what it does, who may, and what it answers. */
function collectionText(graph: Graph, model: Model): string {
  const methods = endpointMethods(model, createType(model)).flatMap(({ name, type, act, about }) => [
    ...remark(`${about} ${allowedText(model, act)}`, undefined),
    `${name}: ${type}['${name}'];`,
  ]);
  const journal = [
    ...remark(`What was done to ${spoken(model.plural)}. ${allowedText(model, 'journal')}`, undefined),
    'journal: JournalLists;',
    ...remark(`What was done to ${withArticle(model.name)}. ${allowedText(model, 'journal')}`, undefined),
    `journalOf(key: ${typeOf(model.key, 'response')}): JournalLists;`,
  ];
  const lines = [
    ...methods,
    ...model.operations.flatMap((operation) => operationLines(graph, model, operation)),
    ...(model.journal ? journal : []),
    ...partsLines(graph, model),
  ];
  return [`export interface ${collectionName(model)} {`, ...indented(lines, 2), '}'].join('\n');
}

/** A method that many models have, and the type that it is taken from. */
interface Method {
  readonly name: string;
  readonly type: string;
  readonly act: Act;
  readonly about: string;
}

/** The methods for the endpoints that a model has. */
function endpointMethods(model: Model, body: string, isPart = false): Method[] {
  const name = tsName(model);
  const quoted = literal(name);
  const [one, many] = [withArticle(model.name), spoken(model.plural)];
  const lists = `Lists<${quoted}, ${literal(model.listView)}>`;
  const creates = `Creates<${quoted}, ${body}>`;
  const updates = `Updates<${quoted}, ${name}_update>`;
  const all: readonly (readonly [keyof typeof SHORT, string, string, Act, string])[] = [
    ['list', 'list', lists, 'read', `One page of ${many}.`],
    ['list', 'each', lists, 'read', `All ${many}, page by page as they are needed.`],
    ['read', 'read', `Reads<${quoted}>`, 'read', `Reads ${one}.`],
    ['create', 'create', creates, 'create', `Creates ${one}, and answers it.`],
    ['create', 'createMany', creates, 'create', `Creates many ${many}, all or none, and answers them.`],
    [
      'replace',
      'replace',
      `Replaces<${quoted}, ${name}_replace>`,
      'replace',
      `Replaces ${one}, and answers it as it is now; what is left out goes to its default or null.`,
    ],
    ['update', 'update', updates, 'update', `Changes the given members of ${one}, and answers it as it is now.`],
    ['update', 'patch', updates, 'update', `Changes ${one} by a JSON Patch, and answers it as it is now.`],
    ['delete', 'delete', `Deletes<${quoted}>`, 'delete', `Deletes ${one}.`],
    ['clear', 'clear', `Clears<${quoted}>`, 'clear', `Deletes those ${many} that values or a condition choose.`],
  ];
  return all
    .filter(([endpoint]) => model.endpoints.has(endpoint) && (!isPart || SHORT[endpoint]))
    .map(([, method, type, act, about]) => ({ name: method, type, act, about }));
}

/** The endpoints of a model, and whether they are within a parent, too. */
const SHORT = {
  list: true,
  read: false,
  create: true,
  replace: false,
  update: false,
  delete: false,
  clear: false,
} as const;

/** Outside of its parent's path, a child names its parent in its body. */
const createType = (model: Model): string =>
  model.parent === undefined
    ? `${tsName(model)}_create`
    : `${tsName(model)}_create & { ${model.parent.field.member}: ${typeOf(model.parent.field, 'request')} }`;

function operationLines(graph: Graph, model: Model, operation: Model['operations'][number]): string[] {
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
          : isReadByAll(modelOf(graph, output.model))
            ? record
            : `${record} | null`;
  const does = ended(operation.description ?? capitalized(spoken(name)));
  const about = `${does} ${allowedText(model, operationAct(name))}`;
  return [
    ...remark(about, operation.deprecated),
    `${memberName(methodName(name))}(${given.join(', ')}): Promise<${result}>;`,
  ];
}

function partsLines(graph: Graph, model: Model): string[] {
  const parts = partsOf(graph, model).flatMap((part) => {
    const methods = endpointMethods(part, `${tsName(part)}_create`, true).flatMap(({ name, type, act, about }) => [
      ...remark(`${about} ${allowedText(part, act)}`, undefined),
      `${name}: ${type}['${name}'];`,
    ]);
    return [`${propertyName(part)}: {`, ...indented(methods, 2), '};'];
  });
  if (parts.length === 0) return [];
  return [
    ...remark(`The records within ${withArticle(model.name)}.`, undefined),
    `within(key: ${typeOf(model.key, 'response')}): {`,
    ...indented(parts, 2),
    '};',
  ];
}

const partsOf = (graph: Graph, model: Model) =>
  model.parts
    .map((name) => modelOf(graph, name))
    .filter((part) => part.endpoints.has('list') || part.endpoints.has('create'));

/** What stands in `session` where there are refresh tokens. */
const OF_SESSIONS = [
  '/** Where the caller is signed in. */',
  'sessions(options?: RequestOptions): Promise<readonly { readonly id: string; readonly began_at: string; ' +
    'readonly used_at: string; readonly expires_at: string; readonly agent: string | null; ' +
    'readonly current: boolean }[]>;',
  '/** Ends one of those. */',
  'endSession(id: string, options?: RequestOptions): Promise<void>;',
];

function tokensType({ refresh }: Identity): string {
  const more = refresh === undefined ? '' : '; readonly refresh_token: string';
  return `{ readonly access_token: string; readonly token_type: 'Bearer'; readonly expires_in: number${more} }`;
}

/** What stands in `session` of secrets and codes. */
function accountLines(identity: Identity): string[] {
  const { secrets, codes, secret } = identity;
  const [code, given] = [`${CODE}: string`, 'options?: RequestOptions'];
  const line = (about: string, name: string, members: readonly string[], result = 'void'): string[] => {
    const all = members.length === 0 ? given : `given: { ${members.join('; ')} }, ${given}`;
    return [`/** ${about} */`, `${name}(${all}): Promise<${result}>;`];
  };
  const member = secret === undefined ? '' : `${secret.member}: string`;
  return [
    ...(secrets.wantsOld
      ? line(
          'Sets another secret, with the old one, and signs in anew: all other tokens are over.',
          'changeSecret',
          [`${oldMember(secret!.member)}: string`, member],
          tokensType(identity),
        )
      : []),
    ...(codes?.verify === undefined
      ? []
      : [
          ...line("Has a code sent that proves the caller's address.", 'askVerification', []),
          ...line('Proves an address, by the code that was sent to it.', 'verifyAddress', [code]),
        ]),
    ...(codes?.reset === undefined
      ? []
      : [
          ...line('Has a code sent that sets a new secret.', 'askReset', [`${codes.to.member}: string`]),
          ...line('Sets a new secret, by the code that was sent.', 'resetSecret', [code, member]),
        ]),
  ];
}

function sessionLines({ identity, byName }: Graph): string[] {
  const model = byName.get(identity!.model)!;
  const { login, secret } = identity!;
  const signIn =
    login === undefined || secret === undefined
      ? []
      : [
          '/** Signs in, without the token that the client has; requests carry the new one from then on. */',
          `signIn(credentials: { ${login.member}: string; ${secret.member}: string }, ` +
            `options?: RequestOptions): Promise<${tokensType(identity!)}>;`,
          '/** Forgets the token, which is still good. */',
          'signOut(): void;',
        ];
  const name = literal(tsName(model));
  return [
    ...signIn,
    ...(identity!.refresh === undefined ? [] : OF_SESSIONS),
    ...accountLines(identity!),
    "/** Ends all of the caller's tokens. */",
    'revoke(options?: RequestOptions): Promise<void>;',
    "/** The caller's own record. */",
    `me: ReadsMe<${name}>;`,
  ];
}

function routeOf(graph: Graph, model: Model): object {
  const operations = endpointsOf(graph, model).flatMap(({ operation }) => operation ?? []);
  return {
    path: collectionPath(graph, model),
    operations: Object.fromEntries(
      operations.map(({ name, reads, target }) => [methodName(name), { name, reads, ofRecord: target === 'record' }]),
    ),
    parts: Object.fromEntries(partsOf(graph, model).map((part) => [propertyName(part), part.plural])),
  };
}
