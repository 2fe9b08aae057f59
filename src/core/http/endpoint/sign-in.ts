import { CHALLENGE, signInRequired } from '../../access/authorization.ts';
import type { Principal } from '../../access/principal.ts';
import { pointerTo } from '../../api/failure.ts';
import { COMMON_HEADERS, JSON_HEADERS } from '../../api/message.ts';
import type { Reply, Request } from '../../api/message.ts';
import { brokenRules, HttpProblem } from '../../api/problems.ts';
import type { Runtime } from '../../change/runtime.ts';
import type { Writes } from '../../change/writes.ts';
import type { Callers } from '../../identity/callers.ts';
import type { Credentials } from '../../identity/credentials.ts';
import type { Hashing } from '../../identity/hashing.ts';
import { sealedLike } from '../../identity/secret.ts';
import type { Tokens } from '../../identity/tokens.ts';
import { noRules } from '../../model/field.ts';
import type { Field } from '../../model/field.ts';
import { modelOf } from '../../model/graph.ts';
import type { Graph } from '../../model/graph.ts';
import type { Scalar } from '../../model/scalar.ts';
import { valueReader } from '../../rules/schema.ts';
import type { Requester, Store } from '../../store/contract.ts';
import type { Authenticator } from '../authenticator.ts';
import { readBodyOf } from '../request/body.ts';
import { refuseQuery } from '../request/query.ts';
import type { Shared } from '../shared.ts';
import type { RecordReader } from './read-record.ts';

/** A request for signing in, signing out, or the caller's own record. */
export interface IdentityRequest {
  readonly principal: Principal;
  readonly request: Request;
  readonly query: string;
}

export interface IdentityPage {
  /** The value of the header Allow. */
  readonly allow: string;
  /** Whether it is for those who are not signed in: a token that comes with the request is not looked at. */
  readonly isOpen: boolean;
  readonly methods: ReadonlyMap<string, (asked: IdentityRequest) => Promise<Reply>>;
}

export interface IdentityPagesOptions {
  readonly graph: Graph;
  readonly store: Store;
  readonly runtime: Runtime;
  readonly writes: Writes;
  readonly tokens: Tokens;
  readonly callers: Callers;
  readonly credentials: Credentials;
  readonly authenticator: Authenticator;
  readonly hashing: Hashing;
  readonly allowance: Shared['allowance'];
  /** Answers reads of the identity model's records. */
  readonly readRecord: RecordReader;
}

/** The limit of failures for an address, as a multiple of that for one login. */
const LOOSER = 10;

/** The sign-in pages of a service with an identity, by their paths. */
export function makeIdentityPages(options: IdentityPagesOptions): ReadonlyMap<string, IdentityPage> {
  const { graph, readRecord } = options;
  const { identity, service } = graph;
  const pages = new Map<string, IdentityPage>();
  if (identity === undefined) return pages;
  const add = (path: string, ...methods: [string, (asked: IdentityRequest) => Promise<Reply>][]): void => {
    const allow = [...methods.map(([method]) => method), 'OPTIONS'].join(', ');
    pages.set(service.prefix + path, { allow, isOpen: path === '/tokens', methods: new Map(methods) });
  };
  const me = ({ principal, request, query }: IdentityRequest): Promise<Reply> =>
    readRecord(principal, String(known(principal)), request, query);
  add('/me', ['GET', me], ['HEAD', me]);
  add('/tokens/revoke', ['POST', revoker(options)]);
  if (identity.login !== undefined && identity.secret !== undefined) {
    add('/tokens', ['POST', signer(options, identity.login, identity.secret)]);
  }
  return pages;
}

function known({ caller }: Principal): Scalar {
  if (caller === null) throw signInRequired();
  return caller.key;
}

/** Ends all tokens of the caller. */
function revoker({ writes, credentials, callers, runtime }: IdentityPagesOptions) {
  return async ({ principal, query }: IdentityRequest): Promise<Reply> => {
    const key = known(principal);
    refuseQuery(query);
    await writes.run(principal, async ({ transaction }) => {
      await credentials.forget(transaction, key);
      await credentials.endBefore(transaction, key, runtime.now());
    });
    callers.forget();
    return { status: 204, headers: COMMON_HEADERS };
  };
}

/**
 * Answers a login and its secret with a token. A wrong login and a wrong secret take the same time and get the same
 * answer.
 */
function signer(options: IdentityPagesOptions, login: Field, secret: Field) {
  const { graph, store, runtime, writes, tokens, callers, credentials, authenticator, hashing } = options;
  const { dialect } = store;
  const model = modelOf(graph, graph.identity!.model);
  const { lifetime } = graph.identity!;
  const { signIn } = graph.service.limits;
  const ofPair = options.allowance('sign-in', signIn);
  const ofAddress = options.allowance('sign-in at an address', signIn * LOOSER);
  const readLogin = valueReader({ ...login, rules: { ...login.rules, required: true } }, pointerTo(login.member));
  const read = bodyOf(login.member, secret.member);
  const name = (column: string): string => dialect.name(column);
  const find = {
    sql:
      'SELECT ' +
      `${dialect.text(dialect.object([{ name: 'key', value: dialect.value(model.key, name(model.key.column)) }]))}, ` +
      `${name(secret.column)} FROM ${name(model.table)} ` +
      `WHERE ${name(login.column)} = ${dialect.placeholder(1)}`,
  };
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
    const pair = JSON.stringify([given.login.trim().toLowerCase().slice(0, 400), address]);
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
      key = await holder(given.login, given.secret, { by: `at ${address}`, signal: request.signal });
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
    const audience = await authenticator.audience();
    const fresh = Buffer.from(runtime.random(16)).toString('base64url');
    const mark = await writes.run(null, ({ transaction }) => credentials.mark(transaction, key, fresh));
    if (mark === fresh) callers.forget();
    const token = await tokens.write({ subject: String(key), mark }, audience, runtime.now(), lifetime);
    const answer = { access_token: token, token_type: 'Bearer', expires_in: lifetime };
    return { status: 200, headers: { ...JSON_HEADERS, 'cache-control': 'no-store' }, body: JSON.stringify(answer) };
  };
}

export const tooMany = (wait: number): HttpProblem =>
  new HttpProblem('too-many-requests', `wait ${wait} s`, { headers: { 'retry-after': String(wait) } });

function bodyOf(login: string, secret: string): (body: unknown) => { login: string; secret: string } {
  const text = { type: 'string', scale: 0, examples: [], rules: { ...noRules, required: true } } as const;
  const hidden = { ...text, rules: { ...text.rules, writeOnly: true } };
  const read = valueReader(
    {
      type: 'object',
      scale: 0,
      properties: new Map([
        [login, text],
        [secret, hidden],
      ]),
      examples: [],
      rules: { ...noRules, required: true },
    },
    '',
  );
  return (body) => {
    const { value, failures } = read(body);
    if (failures.length > 0) throw brokenRules(failures, 'The request breaks');
    const values = value as Readonly<Record<string, string>>;
    return { login: values[login]!, secret: values[secret]! };
  };
}
