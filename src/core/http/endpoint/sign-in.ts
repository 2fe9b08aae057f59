import { CHALLENGE } from '../../access/authorization.ts';
import { pointerTo } from '../../api/failure.ts';
import type { Reply } from '../../api/message.ts';
import { HttpProblem } from '../../api/problems.ts';
import { accountFinder } from '../../identity/accounts.ts';
import { sealedLike } from '../../identity/secret.ts';
import type { Field } from '../../model/field.ts';
import type { FieldValue, Scalar } from '../../model/scalar.ts';
import { valueReader } from '../../rules/schema.ts';
import type { Requester } from '../../store/contract.ts';
import { readBodyOf } from '../request/body.ts';
import { refuseQuery } from '../request/query.ts';
import { textsOf } from '../request/texts.ts';
import type { IdentityPagesOptions, IdentityRequest } from './identity-page.ts';
import { signedIn } from './session-pages.ts';

/** The limit of failures for an address, as a multiple of that for one login. */
const LOOSER = 10;
/** Symbols of a login that limits tell apart. */
const LONGEST_LOGIN = 400;

type Login = ReturnType<ReturnType<typeof valueReader>>;

/**
 * Answers a login and its secret with a token. A wrong login and a wrong secret take the same time and get the same
 * answer.
 */
export function signer(options: IdentityPagesOptions, login: Field, secret: Field) {
  const { graph, store, runtime, hashing } = options;
  const { signIn } = graph.service.limits;
  const ofPair = options.allowance('sign-in', signIn);
  const ofAddress = options.allowance('sign-in at an address', signIn * LOOSER);
  const readLogin = valueReader({ ...login, rules: { ...login.rules, required: true } }, pointerTo(login.member));
  const read = textsOf([login.member], [secret.member]);
  const identityModel = graph.identity!.model;
  const find = accountFinder(graph, store, login);
  const begin = signedIn(options);
  const nobody = sealedLike(runtime.random, runtime.hashCost);

  async function holder({ value, failures }: Login, secretText: string, by: Requester): Promise<Scalar | undefined> {
    const account = failures.length > 0 ? undefined : await find(value);
    const hashed = account?.hashed ?? null;
    const isRight = await hashing.isSecret(secretText, hashed ?? nobody, by);
    return isRight && hashed !== null ? account!.key : undefined;
  }

  return async ({ request, query }: IdentityRequest): Promise<Reply> => {
    refuseQuery(query);
    const given = read(readBodyOf(request, 'create'));
    const loginGiven = readLogin(given[login.member]!);
    const address = request.client ?? '';
    // As it is looked for: all spellings of a login are one.
    const pair = JSON.stringify([textOf(loginGiven.value).slice(0, LONGEST_LOGIN), address]);
    // Only failures whose secret was checked count: refused attempts must not use up the limit of an address.
    const giveBack = (): void => {
      ofAddress.giveBack(address);
      ofPair.giveBack(pair);
    };
    const wait = await ofPair.take(pair);
    if (wait > 0) throw tooMany(wait);
    const waitAtAddress = await ofAddress.take(address);
    if (waitAtAddress > 0) {
      ofPair.giveBack(pair);
      throw tooMany(waitAtAddress);
    }
    let key: Scalar | undefined;
    try {
      key = await holder(loginGiven, given[secret.member]!, { by: `at ${address}`, signal: request.signal });
    } catch (error) {
      giveBack();
      throw error;
    }
    if (key === undefined) {
      throw new HttpProblem(
        'wrong-credentials',
        `no ${identityModel} has this ${login.member} and this ${secret.member}`,
        { headers: CHALLENGE },
      );
    }
    giveBack();
    return begin(key, request);
  };
}

const textOf = (value: FieldValue): string => (typeof value === 'string' ? value : JSON.stringify(value));

export const tooMany = (wait: number): HttpProblem =>
  new HttpProblem('too-many-requests', `wait ${wait} s`, { headers: { 'retry-after': String(wait) } });
