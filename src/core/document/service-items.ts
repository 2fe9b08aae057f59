import { problemTypes } from '../api/problems.ts';
import { modelOf } from '../model/graph.ts';
import { withArticle } from '../text/names.ts';
import type { Documented } from './documented.ts';
import { objectOf } from './json-schema.ts';
import type { JsonSchema } from './json-schema.ts';
import { problemResponses } from './problem-responses.ts';
import { notModified, recordResponses } from './responses.ts';
import { headerRef, shownRefs } from './parameters.ts';
import { accountItems } from './account-items.ts';
import { typeName } from './type-name.ts';
import { securityOf, SIGNED_IN } from './security.ts';
import { CALLER, CALLERS_TAG, sessionItems, SIGN_IN, tokenResponse } from './session-items.ts';
import { envelope, inData, json } from './shared.ts';
import { valueSchema } from './values.ts';

export const SERVICE_TAG = { name: 'service', description: 'What the service says of itself.' };

/** How somebody signs in and out, and learns who they are; nothing where nobody can. */
export function callerItems(doc: Documented): Record<string, JsonSchema> {
  const { identity, service } = doc.graph;
  if (identity === undefined) return {};
  const model = modelOf(doc.graph, identity.model);
  const tags = [CALLERS_TAG.name];
  const me = {
    operationId: 'whoAmI',
    summary: `Read ${withArticle(model.name)}: oneself`,
    tags,
    ...securityOf(doc, [SIGNED_IN]),
    parameters: [...shownRefs(doc, model), headerRef(doc, 'if-none-match')],
    responses: { ...recordResponses(doc, model), ...problemResponses(doc, CALLER) },
  };
  const revoke = {
    operationId: 'revokeTokens',
    summary: "End all of one's tokens",
    tags,
    ...securityOf(doc, [SIGNED_IN]),
    responses: { 204: { description: 'No token from before is good any more.' }, ...problemResponses(doc, CALLER) },
  };
  const sessions = identity.refresh === undefined ? undefined : sessionItems(doc);
  return {
    ...(identity.login === undefined || identity.secret === undefined
      ? {}
      : { [`${service.prefix}/tokens`]: { post: signIn(doc) } }),
    ...sessions?.items,
    ...accountItems(doc),
    [`${service.prefix}/tokens/revoke`]: { post: { ...revoke, ...sessions?.revoke } },
    [`${service.prefix}/me`]: { get: me },
  };
}

function signIn(doc: Documented): JsonSchema {
  const { login, secret, model } = doc.graph.identity!;
  const type = typeName(modelOf(doc.graph, model));
  const members = [login!, secret!].map((field): [string, JsonSchema] => {
    const schema = valueSchema({ ...field, rules: { ...field.rules, required: true } }, 'request');
    return [field.member, { type: schema.type, ...(field === secret ? { format: 'password' } : {}) }];
  });
  return {
    operationId: 'signIn',
    summary: 'Sign in',
    tags: [CALLERS_TAG.name],
    ...securityOf(doc, []),
    requestBody: {
      required: true,
      content: json(
        doc.components.ref('schemas', `${type}.credentials`, () =>
          objectOf(
            Object.fromEntries(members),
            members.map(([member]) => member),
          ),
        ),
      ),
    },
    responses: {
      200: tokenResponse(doc),
      ...problemResponses(doc, SIGN_IN),
    },
  };
}

/** What the service answers about itself. */
export function serviceItems(doc: Documented): Record<string, JsonSchema> {
  const page = (operationId: string, summary: string, content: JsonSchema, more: JsonSchema = {}): JsonSchema => ({
    get: {
      operationId,
      summary,
      tags: [SERVICE_TAG.name],
      ...securityOf(doc, []),
      ...more,
      responses: { 200: { description: `${summary}.`, content }, ...problemResponses(doc, ['invalid-parameter']) },
    },
  });
  const tagged = (operationId: string, type: string): JsonSchema => {
    const item = page(operationId, 'This document', {
      [type]: { schema: { type: type.endsWith('json') ? 'object' : 'string' } },
    });
    const get = item.get as { responses: object };
    return {
      get: {
        ...get,
        parameters: [headerRef(doc, 'if-none-match')],
        responses: { 304: notModified(doc), ...get.responses },
      },
    };
  };
  const index = objectOf(
    {
      name: { type: 'string' },
      version: { type: 'string' },
      description: { type: 'string' },
      links: { type: 'object', additionalProperties: { type: 'string', format: 'uri-reference' } },
    },
    ['name', 'version', 'links'],
  );
  const health = json(
    inData(
      doc.components,
      doc.components.ref('schemas', 'health', () => objectOf({ status: { const: 'ok' } }, ['status'])),
    ),
  );
  const name = {
    name: 'name',
    in: 'path',
    required: true,
    description: 'The last part of its `type`.',
    schema: { type: 'string', enum: Object.keys(problemTypes) },
  };
  return {
    '/': page('index', 'Name, version and links', json(envelope(index))),
    '/openapi.json': tagged('openapi', 'application/json'),
    '/openapi.yaml': tagged('openapiYaml', 'application/yaml'),
    '/health/live': page('isLive', 'Whether the process runs', health),
    '/health/ready': page('isReady', 'Whether it reaches its database', health),
    '/problems/{name}': page(
      'problem',
      'What a problem means',
      { 'text/html': { schema: { type: 'string' } } },
      { parameters: [name] },
    ),
  };
}
