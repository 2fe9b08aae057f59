import { COMMON_HEADERS } from '../api/message.ts';
import type { Reply } from '../api/message.ts';
import { problemTypes } from '../api/problems.ts';
import type { HttpProblem, ProblemName } from '../api/problems.ts';

const HEADERS = { 'content-type': 'application/problem+json', 'cache-control': 'no-store', ...COMMON_HEADERS };

/** An answer of `application/problem+json` (RFC 9457). `request` is its number in the log. */
export function problemReply(problem: HttpProblem, instance: string, request: string): Reply {
  const { title, status: usual } = problemTypes[problem.problem];
  const { options } = problem;
  const status = options.status ?? usual;
  const body = {
    type: `/problems/${problem.problem}`,
    title: options.title ?? title,
    status,
    ...(problem.message === '' ? {} : { detail: problem.message }),
    instance,
    request,
    ...(options.errors === undefined ? {} : { errors: options.errors }),
  };
  return { status, headers: { ...HEADERS, ...options.headers }, body: JSON.stringify(body) };
}

/** The page at a problem's `type`: what it means, for a person. */
export function problemPage(name: ProblemName): Reply {
  const { status, title, about } = problemTypes[name];
  const shown = about.replaceAll(/`([^`]+)`/g, '<code>$1</code>');
  const body =
    `<!doctype html><html lang="en"><meta charset="utf-8"><title>${title}</title>` +
    `<h1>${title}</h1><p>${shown}</p><p>Status ${status}, problem <code>${name}</code>.</p></html>\n`;
  return { status: 200, headers: { 'content-type': 'text/html; charset=utf-8', ...COMMON_HEADERS }, body };
}
