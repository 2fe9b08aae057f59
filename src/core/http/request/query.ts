import { HttpProblem, refuseParameters } from '../../api/problems.ts';

/** The parameters of a query in their order; a `+` is a blank. Broken percent-encoding is a 400. */
export function readQuery(query: string): [string, string][] {
  if (query === '') return [];
  return query
    .split('&')
    .filter((part) => part !== '')
    .map((part) => {
      const at = part.indexOf('=');
      if (at < 0) return [decode(part), ''];
      return [decode(part.slice(0, at)), decode(part.slice(at + 1))];
    });
}

function decode(text: string): string {
  try {
    return decodeURIComponent(text.replaceAll('+', ' '));
  } catch {
    throw new HttpProblem('malformed-request', `the query has broken percent-encoding: ${text.slice(0, 60)}`);
  }
}

/** 400 where a request has a query, and takes none. */
export function refuseQuery(query: string): void {
  refuseParameters(readQuery(query).map(([parameter]) => ({ parameter, detail: 'this request takes no parameters' })));
}
