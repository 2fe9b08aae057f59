import { CODE, oldMember } from '../api/account-members.ts';
import type { ProblemName } from '../api/problems.ts';
import { modelOf } from '../model/graph.ts';
import type { CodeSettings, Identity } from '../model/identity.ts';
import type { Documented } from './documented.ts';
import { objectOf } from './json-schema.ts';
import type { JsonSchema } from './json-schema.ts';
import { problemResponses } from './problem-responses.ts';
import { securityOf, SIGNED_IN } from './security.ts';
import { CALLER, CALLERS_TAG, SIGN_IN, tokenResponse } from './session-items.ts';
import { json } from './shared.ts';
import { typeName } from './type-name.ts';
import { valueSchema } from './values.ts';

const OPEN_PAGE: readonly ProblemName[] = SIGN_IN.filter((name) => name !== 'wrong-credentials');
const OWN_PAGE: readonly ProblemName[] = [...new Set([...CALLER, ...OPEN_PAGE])];
const REFUSED_PAGE: readonly ProblemName[] = [...OWN_PAGE, 'refused'];
/** A new secret is a change of the record: hooks may refuse it. */
const CHANGE: readonly ProblemName[] = ['refused', 'taken', 'not-enough-left'];

/** The life of an account beside its record: a new secret, an address that is proved. */
export function accountItems(doc: Documented): Record<string, JsonSchema> {
  const { identity, service } = doc.graph;
  const { secrets, codes } = identity!;
  const at = (path: string, post: JsonSchema): Record<string, JsonSchema> => ({ [service.prefix + path]: { post } });
  return {
    ...(secrets.wantsOld ? at('/me/secret', change(doc, identity!)) : {}),
    ...(codes?.verify === undefined
      ? {}
      : { ...at('/me/verification', askVerification(doc)), ...at('/verification', verify(doc)) }),
    ...(codes?.reset === undefined
      ? {}
      : { ...at('/reset', askReset(doc, codes)), ...at('/reset/secret', reset(doc, identity!)) }),
  };
}

const text = (description: string): JsonSchema => ({ type: 'string', format: 'password', description });
const codeText = text('The code that was sent: good once, and for a while.');

function bodyOf(doc: Documented, name: string, members: Record<string, JsonSchema>): JsonSchema {
  const type = typeName(modelOf(doc.graph, doc.graph.identity!.model));
  const schema = doc.components.ref('schemas', `${type}.${name}`, () => objectOf(members, Object.keys(members)));
  return { required: true, content: json(schema) };
}

const newSecret = ({ secret }: Identity): Record<string, JsonSchema> => ({
  [secret!.member]: valueSchema({ ...secret!, rules: { ...secret!.rules, required: true } }, 'request'),
});

function change(doc: Documented, identity: Identity): JsonSchema {
  const old = oldMember(identity.secret!.member);
  return {
    operationId: 'changeSecret',
    summary: `Set another ${identity.secret!.member}, with the old one; all other tokens are over`,
    tags: [CALLERS_TAG.name],
    ...securityOf(doc, [SIGNED_IN]),
    requestBody: bodyOf(doc, 'new-secret', { [old]: text('The one until now.'), ...newSecret(identity) }),
    responses: { 200: tokenResponse(doc), ...problemResponses(doc, [...OWN_PAGE, ...CHANGE]) },
  };
}

const askVerification = (doc: Documented): JsonSchema => ({
  operationId: 'askVerification',
  summary: "Be sent a code that proves one's address",
  tags: [CALLERS_TAG.name],
  ...securityOf(doc, [SIGNED_IN]),
  responses: {
    202: { description: 'A code is sent.' },
    204: { description: 'The address is proved already.' },
    ...problemResponses(doc, REFUSED_PAGE),
  },
});

const verify = (doc: Documented): JsonSchema => ({
  operationId: 'verifyAddress',
  summary: 'Prove an address, by the code that was sent to it',
  tags: [CALLERS_TAG.name],
  ...securityOf(doc, []),
  requestBody: bodyOf(doc, 'code', { [CODE]: codeText }),
  responses: { 204: { description: 'The address is proved.' }, ...problemResponses(doc, OPEN_PAGE) },
});

function askReset(doc: Documented, { to }: CodeSettings): JsonSchema {
  const address = valueSchema({ ...to, rules: { ...to.rules, required: true } }, 'request');
  return {
    operationId: 'askReset',
    summary: 'Have a code sent that sets a new secret; the answer is the same where nobody has the address',
    tags: [CALLERS_TAG.name],
    ...securityOf(doc, []),
    requestBody: bodyOf(doc, 'address', { [to.member]: address }),
    responses: { 202: { description: 'Taken.' }, ...problemResponses(doc, OPEN_PAGE) },
  };
}

function reset(doc: Documented, identity: Identity): JsonSchema {
  return {
    operationId: 'resetSecret',
    summary: 'Set a new secret, by the code that was sent; all tokens are over',
    tags: [CALLERS_TAG.name],
    ...securityOf(doc, []),
    requestBody: bodyOf(doc, 'reset', { [CODE]: codeText, ...newSecret(identity) }),
    responses: {
      204: { description: 'It is set: sign in with it.' },
      ...problemResponses(doc, [...OPEN_PAGE, ...CHANGE]),
    },
  };
}
