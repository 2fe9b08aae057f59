import type { PatternPart } from '../model/expression.ts';

const ANY = Symbol('any text');
const ONE = Symbol('one character');

/** Backtracks to the last `%` only, so that no pattern takes long. */
export function isLike(text: readonly string[], pattern: readonly PatternPart[]): boolean {
  const wanted = pattern.flatMap((part): (string | symbol)[] =>
    part === 'any' ? [ANY] : part === 'one' ? [ONE] : [...part.text],
  );
  let [at, next, star, from] = [0, 0, -1, 0];
  while (at < text.length) {
    const part = wanted[next];
    if (part === ANY) {
      [star, from] = [next, at];
      next += 1;
    } else if (part === ONE || part === text[at]) {
      at += 1;
      next += 1;
    } else if (star >= 0) {
      from += 1;
      [at, next] = [from, star + 1];
    } else return false;
  }
  return wanted.slice(next).every((part) => part === ANY);
}
