import { makeDocumentJudge } from '../../src/core/trial/document-judge.ts';
import type { DocumentJudge } from '../../src/core/trial/document-judge.ts';

/** An answer, however it came. */
export interface Judged {
  readonly status: number;
  readonly headers: Headers | Readonly<Record<string, string>>;
  readonly body: unknown;
}

/**
 * Throws where an answer is not one that the service's document tells of. Paths and methods that the document doesn't
 * have are answered with a problem.
 */
export function judgeAnswer(judge: DocumentJudge, method: string, target: string, answer: Judged): void {
  const headers = answer.headers instanceof Headers ? Object.fromEntries(answer.headers) : answer.headers;
  const path = target.replace(/^https?:\/\/[^/]+/, '') || '/';
  if (['HEAD', 'OPTIONS'].includes(method)) return;
  // What can't be read as HTTP at all is answered before anything knows what it was.
  if ([400, 408, 431].includes(answer.status) && answer.body === '') return;
  const isProblem = headers['content-type'] === 'application/problem+json';
  if (isProblem && [404, 405, 408, 413, 414, 431].includes(answer.status)) return;
  const body = answer.body === '' ? undefined : answer.body;
  const faults = judge.judge(method, path, { status: answer.status, headers, body });
  if (faults.length === 0) return;
  throw new Error(
    `the document does not tell of ${method} ${target}: ${JSON.stringify(faults)} ${JSON.stringify(answer.body)}`,
  );
}

const judges = new Map<string, Promise<DocumentJudge | undefined>>();

/** Holds an answer of a running service against its own document, which is asked for once. */
export async function judgeAt(url: string, method: string, answer: Judged): Promise<void> {
  const { origin } = new URL(url);
  if (new URL(url).pathname === '/openapi.json') return;
  let judge = judges.get(origin);
  if (judge === undefined) {
    judge = fetch(`${origin}/openapi.json`).then(
      async (reply) => (reply.ok ? makeDocumentJudge((await reply.json()) as Record<string, unknown>) : undefined),
      () => undefined,
    );
    judges.set(origin, judge);
  }
  const known = await judge;
  if (known !== undefined) judgeAnswer(known, method, url, answer);
  // Another service may come to the same port.
  else judges.delete(origin);
}

/** A port is another service's once this one has stopped. */
export const forgetJudge = (url: string): void => void judges.delete(new URL(url).origin);
