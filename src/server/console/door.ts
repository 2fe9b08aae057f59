import { createHash, timingSafeEqual } from 'node:crypto';
import type { Reply, Request } from '../../core/api/message.ts';
import { HEADERS, plain, secret } from './replies.ts';

/** Where the page and all that it asks for is. */
export const CONSOLE_PATH = '/console';

/** Decides who may come in. */
export interface Door {
  /** Why a request may not even knock: it was sent by a page of elsewhere, or by a name that is not this machine's. */
  stranger(request: Request): string | undefined;
  hasSession(request: Request): boolean | Promise<boolean>;
  /** The answer to somebody who comes to be let in; undefined for any other request. */
  knock(request: Request, path: string): Reply | Promise<Reply> | undefined;
  /** The answer to those who are not in. */
  closed(path: string): Reply;
}

/** The door of a machine's own console, which opens with a key. */
export interface KeyDoor extends Door {
  /** The address that opens the page once. */
  address(url: string): string;
}

/**
 * Lets in whoever has the key of the moment, once, and gives a session for it. So an address that somebody else finds
 * later, in a history or a log, opens nothing. `names` are those by which a browser of this machine may call it; `used`
 * is told when a key was used.
 */
export function keyDoor(names: readonly string[], used: () => void): KeyDoor {
  let key = secret();
  const session = secret();
  const hasSession = (request: Request): boolean => {
    const given = sessionOf(request);
    return given !== undefined && isSame(given, session);
  };
  return {
    address: (url) => `${url}${CONSOLE_PATH}?key=${key}`,
    stranger(request) {
      const name = hostOf(request).replace(/:\d+$/, '').toLowerCase();
      return names.includes(name) ? fromElsewhere(request, ['http']) : `it is not for the host ${name}`;
    },
    hasSession,
    knock(request, path) {
      const given = new URLSearchParams(request.target.split('?')[1] ?? '').get('key');
      if (path !== CONSOLE_PATH || request.method !== 'GET' || given === null) return undefined;
      // Who is in already uses none up; and the key leaves the address at once.
      if (hasSession(request)) return { status: 303, headers: { ...HEADERS, location: CONSOLE_PATH }, body: '' };
      if (!isSame(given, key)) return plain(401, CLOSED);
      key = secret();
      used();
      return letIn(request, session);
    },
    closed: () => plain(401, CLOSED),
  };
}

const CLOSED =
  'This page opens with the address that the service shows where it was started. Each address opens it once: ' +
  'the service shows another when one was used.';

/** Why a request seems to be sent by a page of elsewhere; `schemes` are those by which the page itself may be read. */
export function fromElsewhere(request: Request, schemes: readonly string[]): string | undefined {
  const { origin, 'sec-fetch-site': site } = request.headers;
  if (origin !== undefined && !schemes.some((scheme) => origin === `${scheme}://${hostOf(request)}`))
    return 'it takes nothing from pages of elsewhere';
  if (request.method !== 'POST') return undefined;
  if (origin === undefined) return 'it takes nothing without an Origin';
  return site === undefined || site === 'same-origin' ? undefined : 'it takes nothing from elsewhere';
}

/** Gives a session to a browser, for requests of this page alone. */
export function letIn(request: Request, session: string): Reply {
  const isSecure = String(request.headers.origin ?? '').startsWith('https:');
  const cookie =
    `${cookieOf(request)}=${session}; HttpOnly; SameSite=Strict; Path=${CONSOLE_PATH}` + (isSecure ? '; Secure' : '');
  return { status: 303, headers: { ...HEADERS, location: CONSOLE_PATH, 'set-cookie': cookie }, body: '' };
}

/** The session that a request says it has. */
export function sessionOf(request: Request): string | undefined {
  const cookie = `${cookieOf(request)}=`;
  return String(request.headers.cookie ?? '')
    .split(/; */)
    .find((one) => one.startsWith(cookie))
    ?.slice(cookie.length);
}

const hostOf = ({ headers }: Request): string => String(headers.host ?? '');

/** Cookies know no ports: two services of one machine must not throw each other out. */
const cookieOf = (request: Request): string => `vantfell-console-${/:(\d+)$/.exec(hostOf(request))?.[1] ?? 'usual'}`;

export const digest = (text: string): string => createHash('sha256').update(text).digest('base64');
const isSame = (one: string, other: string): boolean =>
  timingSafeEqual(Buffer.from(digest(one)), Buffer.from(digest(other)));
