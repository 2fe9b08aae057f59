import type { Reply, Request } from '../../core/api/message.ts';
import type { Service } from '../../core/service.ts';
import { CONSOLE_PATH } from './door.ts';
import type { Door } from './door.ts';
import { HEADERS, html, json, plain } from './replies.ts';

type Answering = Pick<Service, 'handle' | 'refuse'>;

/** A file of the page. */
export interface PageFile {
  readonly type: string;
  readonly text: string;
}

/** What the page is made of, and what answers what it asks beside the API. */
export interface ConsoleParts {
  /** By its name below the path of the console: `page.js`; the page itself by the empty name. */
  readonly files: ReadonlyMap<string, PageFile>;
  /** Undefined where nothing has that name. A `Refusal` tells what the page may show. */
  answer(name: string, input: unknown): Promise<unknown>;
  /** Told of what went wrong, and should not have. */
  report(error: unknown): void;
}

/** What can not be done, in words for the page. */
export class Refusal extends Error {}

const API = `${CONSOLE_PATH}/api/`;

/** A service with its console beside it. */
export function withConsole(service: Answering, door: Door, behind: () => Promise<ConsoleParts>): Answering {
  return {
    handle(request) {
      // Nearly all requests are of the API: they pay no more than this.
      if (!request.target.startsWith(CONSOLE_PATH)) return service.handle(request);
      const path = request.target.split('?')[0]!;
      const isOurs = path === CONSOLE_PATH || path.startsWith(`${CONSOLE_PATH}/`);
      if (!isOurs) return service.handle(request);
      return consoleReply(request, path, door, behind).catch(async (error: unknown) => {
        (await behind()).report(error);
        return json(500, { detail: 'A defect of the tool, or of the project; the service says more where it runs.' });
      });
    },
    refuse: (problem, request) => service.refuse(problem, request),
  };
}

async function consoleReply(
  request: Request,
  path: string,
  door: Door,
  behind: () => Promise<ConsoleParts>,
): Promise<Reply> {
  const strange = door.stranger(request);
  if (strange !== undefined) return plain(403, `The console is closed to this request: ${strange}.`);
  const knocked = door.knock(request, path);
  if (knocked !== undefined) return knocked;
  if (!(await door.hasSession(request))) return door.closed(path);
  const parts = await behind();
  if (path.startsWith(API)) {
    if (request.method !== 'POST') return plain(405, 'The console asks with POST.', { allow: 'POST' });
    return asked(path.slice(API.length), request, parts);
  }
  if (request.method !== 'GET' && request.method !== 'HEAD')
    return plain(405, 'Only to be read.', { allow: 'GET, HEAD' });
  const file = parts.files.get(path.slice(CONSOLE_PATH.length + 1));
  if (file === undefined) return plain(404, 'The console has nothing here.');
  if (path === CONSOLE_PATH) return html(200, (nonce) => file.text.replace('NONCE', nonce));
  return { status: 200, headers: { ...HEADERS, 'content-type': file.type }, body: file.text };
}

async function asked(name: string, { body }: Request, parts: ConsoleParts): Promise<Reply> {
  try {
    const input: unknown = body === undefined || body.length === 0 ? {} : JSON.parse(new TextDecoder().decode(body));
    const answer = await parts.answer(name, input);
    if (answer === undefined) return plain(404, 'The console has nothing of that name.');
    return json(200, answer);
  } catch (error) {
    if (error instanceof Refusal || error instanceof SyntaxError) return json(422, { detail: error.message });
    throw error;
  }
}
