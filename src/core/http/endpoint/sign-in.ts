import { CHALLENGE } from '../../access/authorization.ts';
import { pointerTo } from '../../api/failure.ts';
import type { Reply } from '../../api/message.ts';
import { HttpProblem } from '../../api/problems.ts';
import { sealedLike } from '../../identity/secret.ts';
import type { Field } from '../../model/field.ts';
import { modelOf } from '../../model/graph.ts';
import type { Scalar } from '../../model/scalar.ts';
import { valueReader } from '../../rules/schema.ts';
import type { Requester } from '../../store/contract.ts';
import { readBodyOf } from '../request/body.ts';
import { refuseQuery } from '../request/query.ts';
import { textsOf } from '../request/texts.ts';
import type { IdentityPagesOptions, IdentityRequest } from './identity-page.ts';
import { signedIn } from './session-pages.ts';

/** The limit of failures for an address, as a multiple of that for one login. */
const LOOSER = 10;

/**
 * Answers a login and its secret with a token. A wrong login and a wrong secret take the same time and get the same
 * answer.
 */
export function signer(options: IdentityPagesOptions, login: Field, secret: Field) {
  const { graph, store, runtime, hashing } = options;
  const { dialect } = store;
  const model = modelOf(graph, graph.identity!.model);
  const { signIn } = graph.service.limits;
  const ofPair = options.allowance('sign-in', signIn);
  const ofAddress = options.allowance('sign-in at an address', signIn * LOOSER);
  const readLogin = valueReader({ ...login, rules: { ...login.rules, required: true } }, pointerTo(login.member));
  const read = textsOf(login.member, secret.member);
  const name = (column: string): string => dialect.name(column);
  const find = {
    sql:
      'SELECT ' +
      `${dialect.text(dialect.object([{ name: 'key', value: dialect.value(model.key, name(model.key.column)) }]))}, ` +
      `${name(secret.column)} FROM ${name(model.table)} ` +
      `WHERE ${name(login.column)} = ${dialect.placeholder(1)}`,
  };
  const begin = signedIn(options);
  const nobody = sealedLike(runtime.random, runtime.hashCost);

  async function holder(loginText: string, secretText: string, by: Requester): Promise<Scalar | undefined> {
    const { value, failures } = readLogin(loginText);
    const row = failures.length > 0 ? undefined : await store.first(find, [dialect.bind(login, value)]);
    const hashed = (row?.[1] ?? null) as string | null;
    const isRight = await hashing.isSecret(secretText, hashed ?? nobody, by);
    if (!isRight || hashed === null) return undefined;
    return (JSON.parse(String(row![0])) as { key: Scalar }).key;
  }

  return async ({ request, query }: IdentityRequest): Promise<Reply> => {
    refuseQuery(query);
    const given = read(readBodyOf(request, 'create'));
    const address = request.client ?? '';
    const pair = JSON.stringify([given[0]!.trim().toLowerCase().slice(0, 400), address]);
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
      key = await holder(given[0]!, given[1]!, { by: `at ${address}`, signal: request.signal });
    } catch (error) {
      giveBack();
      throw error;
    }
    if (key === undefined) {
      throw new HttpProblem(
        'wrong-credentials',
        `no ${model.name} has this ${login.member} and this ${secret.member}`,
        { headers: CHALLENGE },
      );
    }
    giveBack();
    return begin(key, request);
  };
}

export const tooMany = (wait: number): HttpProblem =>
  new HttpProblem('too-many-requests', `wait ${wait} s`, { headers: { 'retry-after': String(wait) } });
