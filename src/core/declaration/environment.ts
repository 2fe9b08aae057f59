import { own } from '../text/own.ts';
import { isRecord } from '../text/value.ts';
import type { Declared, Path } from './declared.ts';
import type { Problem } from './problem.ts';

type Variables = Readonly<Record<string, string | undefined>>;

const REFERENCE = /\$\{([A-Za-z_][A-Za-z0-9_]*)(?::-([^}]*))?\}/g;

/** Puts environment variables in the place of `${NAME}` and `${NAME:-fallback}` in every text of a document. */
export function withEnvironment(declared: Declared, variables: Variables): { declared: Declared; problems: Problem[] } {
  const problems: Problem[] = [];

  const fill = (value: unknown, path: Path): unknown => {
    if (Array.isArray(value)) return value.map((item, index) => fill(item, [...path, index]));
    if (isRecord(value)) {
      return Object.fromEntries(Object.entries(value).map(([key, item]) => [key, fill(item, [...path, key])]));
    }
    if (typeof value !== 'string') return value;
    return value.replace(REFERENCE, (_all, name: string, fallback: string | undefined) => {
      const found = own(variables, name) ?? fallback;
      if (found !== undefined) return found;
      problems.push({
        code: 'unset-variable',
        severity: 'error',
        message: `the environment variable ${name} is not set`,
        remedy: `set it, or give a fallback: \${${name}:-…}`,
        place: declared.at(path),
      });
      return '';
    });
  };

  return { declared: { ...declared, value: fill(declared.value, []) }, problems };
}
