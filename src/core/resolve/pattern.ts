import { LRUCache } from 'lru-cache';
import { patternAnalysis } from '../text/libraries.ts';

/** What is wrong with a pattern that was declared. */
export interface PatternFault {
  readonly code: 'bad-pattern' | 'slow-pattern';
  readonly severity: 'error' | 'warning';
  readonly message: string;
  readonly remedy: string;
}

/** A text of this many characters is checked in a moment even where time grows with its square. */
const SHORT_ENOUGH = 1_000;

/**
 * A pattern must compile, and must not take for ever on a text that somebody made for that: nested repeats take time
 * that doubles with each character, and repeats side by side take time that grows with the square.
 */
export function patternFault(pattern: string, maxLength: number | undefined): PatternFault | undefined {
  const key = `${maxLength !== undefined && maxLength <= SHORT_ENOUGH} ${pattern}`;
  let known = analysed.get(key);
  if (known === undefined) analysed.set(key, (known = { fault: found(pattern, maxLength) }));
  return known.fault;
}

/** The analysis takes a while, and projects use the same few patterns again and again. */
const analysed = new LRUCache<string, { fault: PatternFault | undefined }>({ max: 1_000 });

/** What is known of patterns: what is wrong with each, or null. */
export type KnownPatterns = Readonly<Record<string, PatternFault | null>>;

/** Those that this program has met, the latest first. */
export const knownPatterns = (): KnownPatterns =>
  Object.fromEntries([...analysed.entries()].map(([key, { fault }]) => [key, fault ?? null]));

/** What another program has learned need not be learned again. */
export function learnPatterns(known: KnownPatterns): void {
  for (const [key, fault] of Object.entries(known)) {
    if (!analysed.has(key)) analysed.set(key, { fault: fault ?? undefined });
  }
}

function found(pattern: string, maxLength: number | undefined): PatternFault | undefined {
  try {
    new RegExp(pattern, 'u');
  } catch (error) {
    const message = `this pattern is not a regular expression${reason(error)}`;
    return { code: 'bad-pattern', severity: 'error', message, remedy: 'mend it (the u flag is on)' };
  }
  const { reports } = patternAnalysis().analyse({ source: pattern, flags: 'u' }, { reportTypes: { Move: false } });
  const [worst] = [...reports].sort((one, other) => Number(other.exponential) - Number(one.exponential));
  if (worst === undefined) return undefined;
  const repeat = worst.type === 'Trade' ? worst.startQuant.raw : worst.quant.raw;
  if (worst.exponential) {
    const message =
      `this pattern can run away: ${repeat} repeats within a repeat, and ` +
      'a text can be cut into them in countless ways';
    return { code: 'slow-pattern', severity: 'error', message, remedy: 'let each character match in one way only' };
  }
  if (maxLength !== undefined && maxLength <= SHORT_ENOUGH) return undefined;
  const message = `this pattern is slow on long texts: ${repeat} can match what stands beside it too`;
  const remedy = `give a maxLength of ${SHORT_ENOUGH} or less, or let each character match in one way only`;
  return { code: 'slow-pattern', severity: 'warning', message, remedy };
}

/** What the engine says is wrong, without the pattern that it repeats. */
function reason(error: unknown): string {
  const said = error instanceof Error ? /\/u?: (.+)$/.exec(error.message)?.[1] : undefined;
  return said === undefined ? '' : `: ${said.charAt(0).toLowerCase()}${said.slice(1)}`;
}
