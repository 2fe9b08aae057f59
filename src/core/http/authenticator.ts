import { badToken, tokenIsOver } from '../access/authorization.ts';
import type { PermissionSets } from '../access/permissions.ts';
import type { Principal } from '../access/principal.ts';
import type { Request } from '../api/message.ts';
import { HttpProblem } from '../api/problems.ts';
import type { ProblemName } from '../api/problems.ts';
import type { Runtime } from '../change/runtime.ts';
import type { Writes } from '../change/writes.ts';
import type { Callers, Known } from '../identity/callers.ts';
import type { Credentials } from '../identity/credentials.ts';
import { makeGoodHeaders } from '../identity/good-headers.ts';
import type { Sessions } from '../identity/sessions.ts';
import { seconds } from '../identity/tokens.ts';
import type { OutsideClaims, OutsideTokens, Tokens } from '../identity/tokens.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { Identity } from '../model/identity.ts';
import type { FieldValue, Scalar } from '../model/scalar.ts';
import { fromText } from '../model/value.ts';
import { bodyReader } from '../rules/schema.ts';
import type { Store } from '../store/contract.ts';

/** Finds out who sends a request. */
export interface Authenticator {
  /** Somebody who is not signed in. */
  readonly stranger: Principal;
  /** Throws a 401 for an invalid token. */
  authenticate(request: Request): Principal | Promise<Principal>;
  /**
   * What a request failed with: a 401 where its sender's token has ended since it was looked at, and the answer may
   * come of that.
   */
  explain(sender: Principal | undefined, error: unknown): Promise<unknown>;
  /** The id of the database, the audience of this service's tokens. */
  audience(): Promise<string>;
}

/** What it looks into. */
export interface AuthenticatorOptions {
  readonly graph: Graph;
  readonly store: Store;
  readonly runtime: Runtime;
  readonly permissionSets: PermissionSets;
  readonly writes: Writes;
  readonly tokens: Tokens;
  readonly callers: Callers;
  readonly sessions: Sessions;
  readonly credentials: Credentials;
  readonly outside?: OutsideTokens | undefined;
}

/** The problems that depend on what is stored. */
const OF_STATE: ReadonlySet<ProblemName> = new Set([
  'not-found',
  'not-allowed',
  'invalid-body',
  'taken',
  'not-enough-left',
  'still-referred-to',
  'test-failed',
  'moved-on',
  'refused',
]);

export function makeAuthenticator(options: AuthenticatorOptions): Authenticator {
  const { graph, store, runtime, permissionSets, writes, tokens, callers, sessions, credentials, outside } = options;
  const stranger: Principal = { caller: null, permissions: permissionSets.of(null) };
  const { identity } = graph;
  if (identity === undefined) {
    const explain: Authenticator['explain'] = (_, error) => Promise.resolve(error);
    return { stranger, authenticate: () => stranger, explain, audience: () => Promise.resolve('') };
  }
  const model = modelOf(graph, identity.model);
  let database: string | undefined;

  async function audience(): Promise<string> {
    database ??= await credentials.database(store);
    if (database === undefined) {
      const id = runtime.uuid();
      await store.transaction((transaction) => credentials.name(transaction, id));
      database = (await credentials.database(store))!;
    }
    return database;
  }

  const good = makeGoodHeaders(model.key, callers, sessions, () => runtime.now());

  async function ownCaller(token: string, header: string): Promise<Principal | undefined> {
    const claims = await tokens.read(token, await audience(), runtime.now());
    const key = claims && fromText(model.key, claims.subject);
    if (key === undefined || 'fault' in key) return undefined;
    const { session, mark } = claims!;
    if (session !== undefined && !(await sessions.isThere(session))) return undefined;
    let known = await callers.find(model.key, key.value as Scalar);
    // Another instance may have given this token just now.
    if (known?.mark !== mark) known = await callers.findAnew(model.key, key.value as Scalar);
    if (known?.mark !== mark) return undefined;
    const { caller } = known;
    const principal = { caller, permissions: permissionSets.of(caller), session, mark };
    good.keep(header, { principal, known, expires: claims!.expires });
    return principal;
  }

  const comers = outside && makeComers(options, identity);

  async function outsideCaller(token: string): Promise<Principal | undefined> {
    const claims = await outside!(token, runtime.now());
    if (claims === undefined) return undefined;
    const subject = fromText(identity!.subject!, claims.sub);
    if ('fault' in subject) return undefined;
    const find = () => callers.find(identity!.subject!, subject.value as Scalar);
    const known = (await find()) ?? (await comers!(claims, writes, find));
    // Tokens of the same second as the revocation are void too.
    const isOver = known?.since != null && (claims.iat === undefined || claims.iat <= seconds(known.since));
    if (known === undefined || isOver) return undefined;
    return { caller: known.caller, permissions: permissionSets.of(known.caller) };
  }

  async function signedIn(header: string): Promise<Principal> {
    const token = /^Bearer +([A-Za-z0-9._~+/-]+=*) *$/i.exec(header)?.[1];
    if (token === undefined) throw badToken('the header Authorization must be Bearer and a token');
    const sender = outside === undefined ? await ownCaller(token, header) : await outsideCaller(token);
    if (sender === undefined) throw tokenIsOver();
    return sender;
  }

  return {
    stranger,
    audience,
    async explain(sender, error) {
      if (sender?.mark === undefined || !(error instanceof HttpProblem) || !OF_STATE.has(error.problem)) return error;
      const known = await callers.findAnew(model.key, sender.caller!.key).catch(() => undefined);
      return known?.mark === sender.mark ? error : tokenIsOver();
    },
    authenticate({ headers: { authorization } }) {
      if (authorization === undefined) return stranger;
      const header = String(authorization);
      return good.again(header) ?? signedIn(header);
    },
  };
}

/** Creates records for callers that only the issuer knows, if `create` is declared. */
function makeComers({ graph, callers }: AuthenticatorOptions, { issuer, subject, model: name }: Identity) {
  const model = modelOf(graph, name);
  const read = bodyReader(model, 'load');
  const { create } = issuer!;
  return async (
    claims: OutsideClaims,
    writes: Writes,
    find: () => Promise<Known | undefined>,
  ): Promise<Known | undefined> => {
    if (create === undefined) return undefined;
    const given = [...create].flatMap(([{ member }, claim]): [string, unknown][] => {
      const value = Object.hasOwn(claims, claim) ? claims[claim] : undefined;
      return value === undefined ? [] : [[member, value]];
    });
    const { values, failures } = read({ ...Object.fromEntries(given), [subject!.member]: claims.sub });
    const [first] = failures;
    if (first !== undefined) {
      throw badToken(`its claims make no ${model.name}: ${first.pointer.slice(1)} ${first.detail}`);
    }
    try {
      const changes = writes.changesOf(model);
      await writes.run(null, (work) => changes.create(work, values as Record<string, FieldValue>));
    } catch (error) {
      // Another request of the same caller was quicker; otherwise the taken value belongs to somebody else.
      if (!(error instanceof HttpProblem) || error.problem !== 'taken') throw error;
      callers.forget();
      const known = await find();
      if (known === undefined) throw badToken(`its claims make no ${model.name}: what must be unique is taken`);
      return known;
    }
    callers.forget();
    return find();
  };
}
