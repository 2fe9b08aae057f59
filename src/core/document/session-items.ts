import type { ProblemName } from '../api/problems.ts';
import { modelOf } from '../model/graph.ts';
import type { Documented } from './documented.ts';
import { objectOf } from './json-schema.ts';
import type { JsonSchema } from './json-schema.ts';
import { problemResponses } from './problem-responses.ts';
import { OPEN, securityOf, SIGNED_IN } from './security.ts';
import { inData, json } from './shared.ts';
import { typeName } from './type-name.ts';

export const CALLERS_TAG = { name: 'callers', description: 'Signing in and out, and who one is.' };

export const SIGN_IN: readonly ProblemName[] = [
  'malformed-request',
  'invalid-parameter',
  'wrong-credentials',
  'not-acceptable',
  'too-large',
  'unsupported-media-type',
  'invalid-body',
  'too-many-requests',
  'too-busy',
  'outcome-unknown',
];
export const CALLER: readonly ProblemName[] = [
  'invalid-parameter',
  'malformed-request',
  'sign-in-required',
  'invalid-token',
  'not-found',
  'not-acceptable',
  'too-many-requests',
  'too-busy',
  'outcome-unknown',
];
const REVOKE: readonly ProblemName[] = [...CALLER, 'too-large', 'unsupported-media-type', 'invalid-body'];
const REFRESH: readonly ProblemName[] = [...SIGN_IN.filter((name) => name !== 'wrong-credentials'), 'invalid-token'];

/** Going on with a session, and what sessions one has. */
export function sessionItems(doc: Documented) {
  const { components, graph } = doc;
  const { prefix } = graph.service;
  const given = components.ref('schemas', 'refresh', () =>
    objectOf({ refresh_token: { type: 'string', format: 'password' } }, ['refresh_token']),
  );
  const refresh = {
    operationId: 'refreshTokens',
    summary: 'Go on with a session: a refresh token is good once, and another comes back',
    tags: [CALLERS_TAG.name],
    ...securityOf(doc, []),
    requestBody: { required: true, content: json(given) },
    responses: { 200: tokenResponse(doc), ...problemResponses(doc, REFRESH) },
  };
  return {
    /** What `/tokens/revoke` is where there are sessions. */
    revoke: {
      summary: "End all of one's tokens and sessions, or one session by its refresh token",
      ...securityOf(doc, [OPEN, SIGNED_IN]),
      requestBody: { required: false, content: json(given) },
      responses: { 204: { description: 'They are not good any more.' }, ...problemResponses(doc, REVOKE) },
    },
    items: {
      [`${prefix}/tokens/refresh`]: { post: refresh },
      [`${prefix}/me/sessions`]: { get: listing(doc), delete: ending(doc, 'endSessions', "End all of one's sessions") },
      [`${prefix}/me/sessions/{id}`]: {
        delete: { ...ending(doc, 'endSession', "End one of one's sessions"), parameters: [ID] },
      },
    },
  };
}

const ID = { name: 'id', in: 'path', required: true, description: 'The id of a session.', schema: { type: 'string' } };

const listing = (doc: Documented): JsonSchema => ({
  operationId: 'listSessions',
  summary: 'Where one is signed in, the session that was used last first',
  tags: [CALLERS_TAG.name],
  ...securityOf(doc, [SIGNED_IN]),
  responses: {
    200: {
      description: 'The sessions.',
      content: json(inData(doc.components, sessionsRef(doc))),
    },
    ...problemResponses(doc, CALLER),
  },
});

const ending = (doc: Documented, operationId: string, summary: string): JsonSchema => ({
  operationId,
  summary,
  tags: [CALLERS_TAG.name],
  ...securityOf(doc, [SIGNED_IN]),
  responses: {
    204: { description: 'Neither their refresh tokens nor their tokens are good any more.' },
    ...problemResponses(doc, CALLER),
  },
});

function sessionsRef({ components }: Documented) {
  const time = { type: 'string', format: 'date-time' };
  const members: Record<string, JsonSchema> = {
    id: { type: 'string', format: 'uuid' },
    began_at: time,
    used_at: { ...time, description: 'When it was gone on with last.' },
    expires_at: { ...time, description: 'When it ends, unless it is gone on with.' },
    agent: { type: ['string', 'null'], description: 'What its client calls itself.' },
    current: { type: 'boolean', description: 'Whether it is the one of the token that asks.' },
  };
  const one = components.ref('schemas', 'session', () => objectOf(members, Object.keys(members)));
  return components.ref('schemas', 'sessions', () => ({ type: 'array', items: one }));
}

/** The answer with a token, and with a refresh token where there are any. */
export function tokenResponse(doc: Documented): JsonSchema {
  const { model, refresh } = doc.graph.identity!;
  const more: Record<string, JsonSchema> =
    refresh === undefined ? {} : { refresh_token: { type: 'string', description: 'Good once.' } };
  const members: Record<string, JsonSchema> = {
    access_token: { type: 'string' },
    token_type: { const: 'Bearer' },
    expires_in: { type: 'integer', description: 'Seconds.' },
    ...more,
  };
  const token = () => ({
    ...objectOf(members, Object.keys(members)),
    description: 'A token for the header Authorization (RFC 6749, 5.1).',
  });
  const name = `${typeName(modelOf(doc.graph, model))}.token`;
  return { description: 'A token.', content: json(doc.components.ref('schemas', name, token)) };
}
