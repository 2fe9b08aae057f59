import { distance } from 'fastest-levenshtein';

/** A longer one is no slip of a pen, and to compare it would take long. */
const LONGEST_NAME = 200;

/**
 * The known name that an unknown one was most likely meant to be: by its beginning, or by few changed letters.
 * Undefined where nothing is near enough to be worth a guess.
 */
export function nearest(unknown: string, known: Iterable<string>): string | undefined {
  if (unknown.length > LONGEST_NAME) return undefined;
  const wanted = unknown.toLowerCase();
  let best: string | undefined;
  let bestScore = Math.max(2, Math.floor(wanted.length / 3)) + 1;
  for (const name of known) {
    const candidate = name.toLowerCase();
    const begins = wanted.length >= 3 && (candidate.startsWith(wanted) || wanted.startsWith(candidate));
    const score = begins ? 0.5 : distance(wanted, candidate);
    if (score < bestScore && score < Math.max(wanted.length, candidate.length)) [best, bestScore] = [name, score];
  }
  return best;
}

const MOST_SHOWN = 12;

/** A remedy for an unknown name: the nearest one, or else all that there are. */
export function didYouMean(unknown: string, known: Iterable<string>): string {
  const names = [...known];
  const guess = nearest(unknown, names);
  if (guess !== undefined) return `did you mean ${guess}?`;
  if (names.length === 0) return 'there are none yet';
  const shown = names.slice(0, MOST_SHOWN).join(', ');
  return `known: ${shown}${names.length > MOST_SHOWN ? ` and ${names.length - MOST_SHOWN} more` : ''}`;
}
