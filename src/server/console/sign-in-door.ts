import type { Reply, Request } from '../../core/api/message.ts';
import type { Graph } from '../../core/model/graph.ts';
import type { Service } from '../../core/service.ts';
import { CONSOLE_PATH, digest, fromElsewhere, letIn, sessionOf } from './door.ts';
import type { Door } from './door.ts';
import { html, plain, secret } from './replies.ts';
import { signInPage } from './sign-in-page.ts';

/** What is served at the moment. */
interface Served {
  readonly project: { readonly graph: Graph };
  readonly service: Pick<Service, 'handle' | 'rolesOf'>;
}

type SignedIn = { token: string } | { status: number; refused: string };

const ENTER = `${CONSOLE_PATH}/enter`;
const MOST_SESSIONS = 100;
const LONGEST_BODY = 8_000;

/**
 * Lets in callers of the API who have the role that the service file names, for as long as their token is good and they
 * have the role. They sign in as they do at the API, under its limits.
 */
export function signInDoor(current: () => Served): Door {
  // By the digest of what a browser holds, in their order.
  const tokens = new Map<string, string>();

  /** Why a token lets nobody in; undefined where it does. */
  async function refusal(token: string): Promise<string | undefined> {
    const { project, service } = current();
    const role = project.graph.service.consoleRole;
    if (role === undefined) return 'The console is not open any more.';
    const roles = await service.rolesOf(`Bearer ${token}`);
    if (roles === undefined) return 'This token is not one of the service, or is over.';
    return roles.includes(role) ? undefined : `Only those with the role ${role} may come in.`;
  }

  const page = (status: number, wrong = '', typed = ''): Reply =>
    html(status, (nonce) => signInPage(current().project.graph, { nonce, wrong, typed, action: ENTER }), "'self'");

  async function enter(request: Request): Promise<Reply> {
    if (request.method !== 'POST') return plain(405, 'Only to be sent.', { allow: 'POST' });
    if ((request.body?.length ?? 0) > LONGEST_BODY) return page(413, 'That is too long.');
    const given = new URLSearchParams(new TextDecoder().decode(request.body ?? new Uint8Array()));
    const login = given.get('login') ?? '';
    const token = given.get('token')?.trim() ?? '';
    const signed = token === '' ? await signedIn(request, login, given.get('secret') ?? '') : { token };
    if ('refused' in signed) return page(signed.status, signed.refused, login);
    const refused = await refusal(signed.token);
    if (refused !== undefined) return page(403, refused, login);
    const session = secret();
    tokens.set(digest(session), signed.token);
    if (tokens.size > MOST_SESSIONS) tokens.delete([...tokens.keys()][0]!);
    return letIn(request, session);
  }

  /** Signs in at the API itself, which counts failures and takes its time. */
  async function signedIn(request: Request, login: string, word: string): Promise<SignedIn> {
    const { project, service } = current();
    const { identity, service: settings } = project.graph;
    if (identity?.login === undefined || identity.secret === undefined)
      return { status: 422, refused: 'Give a token.' };
    const sent = { [identity.login.member]: login, [identity.secret.member]: word };
    const { status, body } = await service.handle({
      ...request,
      method: 'POST',
      target: `${settings.prefix}/tokens`,
      headers: { 'content-type': 'application/json' },
      body: new TextEncoder().encode(JSON.stringify(sent)),
    });
    const answer = JSON.parse(body ?? '{}') as { access_token?: string; title?: string; detail?: string };
    if (answer.access_token !== undefined) return { token: answer.access_token };
    return { status, refused: [answer.title, answer.detail].filter(Boolean).join(': ') };
  }

  return {
    // TLS may have ended in front of the service.
    stranger: (request) => fromElsewhere(request, ['http', 'https']),
    async hasSession(request) {
      const session = sessionOf(request);
      const key = session === undefined ? '' : digest(session);
      const token = tokens.get(key);
      if (token === undefined) return false;
      if ((await refusal(token)) === undefined) return true;
      tokens.delete(key);
      return false;
    },
    knock: (request, path) => (path === ENTER ? enter(request) : undefined),
    closed: (path) => (path === CONSOLE_PATH ? page(401) : plain(401, 'Sign in first, at /console.')),
  };
}
