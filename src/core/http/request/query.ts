import { repeatableParameters } from '../../api/parameters.ts';
import { HttpProblem, refuseParameters } from '../../api/problems.ts';
import type { ParameterFailure } from '../../api/problems.ts';

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

/** Adds a parameter; one that is given again has further entries, or is wrong. */
export function addParameter<Name extends string>(
  given: Map<Name, string>,
  name: Name,
  value: string,
  failures: ParameterFailure[],
): void {
  const before = given.get(name);
  if (before !== undefined && !repeatableParameters.has(name))
    failures.push({ parameter: name, detail: 'must be given once' });
  given.set(name, before === undefined ? value : `${before},${value}`);
}

/** `true` or `false`; a parameter that is left out is false. */
export function readFlag(parameter: string, text: string | undefined, failures: ParameterFailure[]): boolean {
  if (text !== undefined && text !== 'true' && text !== 'false') {
    failures.push({ parameter, detail: `must be true or false, got ${JSON.stringify(text.slice(0, 40))}` });
  }
  return text === 'true';
}
