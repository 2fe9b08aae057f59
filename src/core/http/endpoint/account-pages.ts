import type { Principal } from '../../access/principal.ts';
import { CODE, oldMember } from '../../api/account-members.ts';
import { pointerTo } from '../../api/failure.ts';
import type { Failure } from '../../api/failure.ts';
import { COMMON_HEADERS } from '../../api/message.ts';
import type { Reply } from '../../api/message.ts';
import { brokenRules, HttpProblem } from '../../api/problems.ts';
import type { UnitOfWork } from '../../change/unit-of-work.ts';
import { accountFinder } from '../../identity/accounts.ts';
import type { Account } from '../../identity/accounts.ts';
import { addressDigest } from '../../identity/codes.ts';
import { VERIFIED } from '../../model/access.ts';
import { modelOf } from '../../model/graph.ts';
import type { Graph } from '../../model/graph.ts';
import type { CodeKind } from '../../model/identity.ts';
import type { Scalar } from '../../model/scalar.ts';
import { fromText } from '../../model/value.ts';
import { ownBody, valueReader } from '../../rules/schema.ts';
import type { Store } from '../../store/contract.ts';
import type { Allowance } from '../allowance.ts';
import { badToken } from '../../access/authorization.ts';
import { readBodyOf } from '../request/body.ts';
import { refuseQuery } from '../request/query.ts';
import { textsOf } from '../request/texts.ts';
import type { IdentityPagesOptions, IdentityRequest } from './identity-page.ts';
import { knownCaller, NO_CONTENT, signedIn } from './session-pages.ts';
import { tooMany } from './sign-in.ts';

const ACCEPTED: Reply = { status: 202, headers: COMMON_HEADERS };
const WRONG_CODE: Failure = {
  pointer: pointerTo(CODE),
  rule: CODE,
  detail: 'is wrong, was used before, or is over; ask for another',
};

/**
 * Sets a secret of one's own, with the old one, and signs in anew: all other tokens are over. Wrong guesses count like
 * those of a sign-in.
 */
export function secretChanger(options: IdentityPagesOptions) {
  const { graph, store, hashing, allowance } = options;
  const { secret } = graph.identity!;
  const { member } = secret!;
  const old = oldMember(member);
  const find = ownFinder(graph, store);
  const set = secretSetter(options);
  const read = textsOf([], [old, member]);
  const guesses = allowance('old secret', graph.service.limits.signIn);
  const begin = signedIn(options);
  return async ({ principal, request, query }: IdentityRequest): Promise<Reply> => {
    const key = knownCaller(principal);
    refuseQuery(query);
    const given = read(readBodyOf(request, 'create'));
    const account = await find(key);
    const wait = await guesses.take(String(key));
    if (wait > 0) throw tooMany(wait);
    let isRight = true;
    try {
      isRight = await hashing.isSecret(given[old]!, account.hashed ?? '', principal.requester);
    } finally {
      // One that could not be looked at is no guess.
      if (isRight) guesses.giveBack(String(key));
    }
    if (!isRight) throw brokenRules([{ pointer: pointerTo(old), rule: 'old', detail: `is not your ${member}` }]);
    await set(principal, account, given[member]!);
    return begin(key, request);
  };
}

/** Finds the account of a caller: what is known of one is some seconds old, and they may be gone by now. */
function ownFinder(graph: Graph, store: Store): (key: Scalar) => Promise<Account> {
  const find = accountFinder(graph, store, modelOf(graph, graph.identity!.model).key);
  return async (key) => {
    const account = await find(key);
    if (account === undefined) throw badToken('your record is not there any more');
    return account;
  };
}

/** Gives an account a new secret, which ends its tokens; `before` runs first, in the same transaction. */
function secretSetter({ graph, writes, hashing }: IdentityPagesOptions) {
  const { secret, login, model } = graph.identity!;
  const { member } = secret!;
  const changes = writes.changesOf(modelOf(graph, model));
  const read = valueReader({ ...secret!, rules: { ...secret!.rules, required: true } }, pointerTo(member));
  return async (
    principal: Principal | null,
    { key, login: known }: Account,
    text: string,
    before: (work: UnitOfWork) => Promise<void> = () => Promise.resolve(),
  ): Promise<void> => {
    const { value, failures } = read(text);
    const values = { [member]: value };
    const all = [...failures, ...(await changes.secretFailures(values, { [login!.member]: known }))];
    if (all.length > 0) throw brokenRules(all);
    const hashed = await hashing.hash(value as string, principal?.requester);
    await writes.run(principal, async (work) => {
      await before(work);
      await changes.change(work, 'update', key, ownBody({ [member]: hashed }));
    });
  };
}

/** Sends the caller a code that proves their address. */
export function verificationAsker(options: IdentityPagesOptions, limit: Allowance) {
  const { graph, store, accountCodes } = options;
  const find = ownFinder(graph, store);
  const { to } = graph.identity!.codes!;
  return async ({ principal, request, query }: IdentityRequest): Promise<Reply> => {
    const key = knownCaller(principal);
    refuseQuery(query);
    const account = await find(key);
    if (principal.caller!.roles.includes(VERIFIED)) return NO_CONTENT;
    if (account.address === null) {
      const detail = `you have no ${to.member}, which a code could be sent to`;
      throw new HttpProblem('refused', detail, { status: 422, errors: [] });
    }
    await takeOne(limit, request.client);
    accountCodes!.send('verify', () => Promise.resolve(account));
    return ACCEPTED;
  };
}

/** Takes the code that proves an address. */
export function verifier(options: IdentityPagesOptions, limit: Allowance) {
  const { writes, callers, codes } = options;
  const read = textsOf([], [CODE]);
  const proven = codeReader(options, 'verify', limit);
  return async ({ request, query }: IdentityRequest): Promise<Reply> => {
    refuseQuery(query);
    const { [CODE]: code } = read(readBodyOf(request, 'create'));
    const account = await proven(code, request.client);
    await writes.run(null, async ({ transaction }) => {
      if (!(await codes.use(transaction, 'verify', code, String(account.key)))) throw brokenRules([WRONG_CODE]);
      await codes.verify(transaction, account.key, account.address!);
    });
    callers.forget();
    return NO_CONTENT;
  };
}

/** Sends a code that sets a new secret to an address. Whether somebody has it is told by nothing, not even by time. */
export function resetAsker(options: IdentityPagesOptions, limit: Allowance) {
  const { graph, store, accountCodes } = options;
  const { to } = graph.identity!.codes!;
  const read = textsOf([to.member], []);
  const readAddress = valueReader({ ...to, rules: { ...to.rules, required: true } }, pointerTo(to.member));
  const find = accountFinder(graph, store, to);
  return async ({ request, query }: IdentityRequest): Promise<Reply> => {
    refuseQuery(query);
    const { value, failures } = readAddress(read(readBodyOf(request, 'create'))[to.member]);
    if (failures.length > 0) throw brokenRules(failures);
    await takeOne(limit, request.client);
    accountCodes!.send('reset', () => find(value));
    return ACCEPTED;
  };
}

/** Takes the code that was sent, and a new secret. It came to the address, so that is proved as well. */
export function resetter(options: IdentityPagesOptions, limit: Allowance) {
  const { graph, callers, codes } = options;
  const { secret, codes: settings } = graph.identity!;
  const { member } = secret!;
  const read = textsOf([], [CODE, member]);
  const proven = codeReader(options, 'reset', limit);
  const set = secretSetter(options);
  return async ({ request, query }: IdentityRequest): Promise<Reply> => {
    refuseQuery(query);
    const given = read(readBodyOf(request, 'create'));
    const code = given[CODE]!;
    const account = await proven(code, request.client);
    await set(null, account, given[member]!, async ({ transaction }) => {
      if (!(await codes.use(transaction, 'reset', code, String(account.key)))) throw brokenRules([WRONG_CODE]);
      if (settings!.verify !== undefined) await codes.verify(transaction, account.key, account.address!);
    });
    callers.forget();
    return NO_CONTENT;
  };
}

/** Finds whose a code is, before anything is done by it. Wrong ones are counted by the client's address. */
function codeReader({ graph, store, codes, runtime }: IdentityPagesOptions, kind: CodeKind, limit: Allowance) {
  const { key } = modelOf(graph, graph.identity!.model);
  const find = accountFinder(graph, store, key);
  return async (code: string, client: string | undefined): Promise<Account> => {
    await takeOne(limit, client);
    const found = await codes.find(store, kind, code, runtime.now());
    const value = found && fromText(key, found.caller);
    const account = value === undefined || 'fault' in value ? undefined : await find(value.value);
    // One that was sent to an address that the caller has no more proves nothing.
    if (account?.address == null || addressDigest(account.address) !== found!.address) throw brokenRules([WRONG_CODE]);
    limit.giveBack(client ?? '');
    return account;
  };
}

async function takeOne(limit: Allowance, client = ''): Promise<void> {
  const wait = await limit.take(client);
  if (wait > 0) throw tooMany(wait);
}
