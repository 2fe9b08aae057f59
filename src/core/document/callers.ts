import type { ProblemName } from '../http/problems.ts';
import type { Graph } from '../model/graph.ts';
import { modelOf } from '../model/graph.ts';
import { pascalCase, withArticle } from '../model/names.ts';
import { content, envelope, ref } from './operations.ts';
import { shownNames } from './parameters.ts';
import { recordName, valueSchema } from './schemas.ts';
import type { JsonSchema } from './schemas.ts';

/** What the document says of how somebody signs in, and learns who they are. */
export interface CallerItems {
  readonly paths: Record<string, Record<string, unknown>>;
  readonly schemas: Record<string, JsonSchema>;
  readonly securitySchemes: Record<string, unknown>;
  readonly problems: readonly ProblemName[];
}

const NONE: CallerItems = { paths: {}, schemas: {}, securitySchemes: {}, problems: [] };
const SIGN_IN: readonly ProblemName[] = ['malformed-request', 'wrong-credentials', 'not-acceptable', 'too-large', 'unsupported-media-type', 'invalid-body', 'too-many-requests', 'too-busy']; // prettier-ignore
const CALLER: readonly ProblemName[] = ['invalid-parameter', 'malformed-request', 'sign-in-required', 'invalid-token', 'not-found', 'not-acceptable', 'too-many-requests', 'too-busy']; // prettier-ignore

type Problems = (problems: readonly ProblemName[]) => Record<string, unknown>;

/** Nothing where nobody signs in. */
export function callerItems(graph: Graph, responses: Problems): CallerItems {
  const { identity, service } = graph;
  if (identity === undefined) return NONE;
  const model = modelOf(graph, identity.model);
  const whose = `${pascalCase(model.name)}.token`;
  const tags = [model.plural];
  const me = {
    operationId: 'whoAmI',
    summary: `Read ${withArticle(model.name)}: oneself`,
    tags,
    security: [{ token: [] }],
    parameters: shownNames(model).map((shown) => ref('parameters', shown)),
    responses: {
      '200': {
        description: 'The record of whoever asks.',
        content: content(envelope(ref('schemas', recordName(model)))),
      },
      '304': { description: 'The answer that If-None-Match names still holds.' },
      ...responses(CALLER),
    },
  };
  const revoke = {
    operationId: 'revokeTokens',
    summary: "End all of one's tokens",
    tags,
    security: [{ token: [] }],
    responses: { '204': { description: 'No token from before is good any more.' }, ...responses(CALLER) },
  };
  const paths: CallerItems['paths'] = {
    [`${service.prefix}/me`]: { get: me },
    [`${service.prefix}/tokens/revoke`]: { post: revoke },
  };
  const schemas: CallerItems['schemas'] = {};
  const { login, secret } = identity;
  if (login !== undefined && secret !== undefined) {
    const members = [login, secret].map((field): [string, JsonSchema] => {
      const { type, format } = valueSchema({ ...field, rules: { ...field.rules, required: true } }, 'request');
      return [field.member, { type, ...(field === secret ? { format } : {}) }];
    });
    const required = members.map(([member]) => member);
    schemas[whose] = { type: 'object', description: 'RFC 6749, 5.1.', properties: { access_token: { type: 'string' }, token_type: { const: 'Bearer' }, expires_in: { type: 'integer', description: 'Seconds.' } }, required: ['access_token', 'token_type', 'expires_in'], additionalProperties: false }; // prettier-ignore
    paths[`${service.prefix}/tokens`] = {
      post: {
        operationId: 'signIn',
        summary: 'Sign in',
        tags,
        security: [{}],
        requestBody: {
          required: true,
          content: content({ type: 'object', properties: Object.fromEntries(members), required, additionalProperties: false }), // prettier-ignore
        },
        responses: {
          '200': { description: 'A token, for the header Authorization.', content: content(ref('schemas', whose)) },
          ...responses(SIGN_IN),
        },
      },
    };
  }
  const from =
    identity.issuer === undefined ? `From POST ${service.prefix}/tokens.` : `From ${identity.issuer.issuer}.`;
  const scheme = { type: 'http', scheme: 'bearer', bearerFormat: 'JWT', description: from };
  return { paths, schemas, securitySchemes: { token: scheme }, problems: [...SIGN_IN, ...CALLER] };
}
