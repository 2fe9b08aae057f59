import type { Reader, Store } from '../store/contract.ts';
import { StoreError } from '../store/contract.ts';
import type { Danger } from '../tables/hazard.ts';
import { dangerText } from '../tables/words.ts';
import type { Saying } from '../tables/words.ts';
import type { CountedDanger, CountedSaying } from './out-of-step.ts';

/** Counts the rows in danger; without a database that stands where the change begins, they stay uncounted. */
export async function countDangers(
  sayings: readonly Saying[],
  from: { reader: Reader; ddl: Store['ddl'] } | undefined,
): Promise<CountedSaying[]> {
  const counted: CountedSaying[] = [];
  for (const saying of sayings) {
    const dangers: CountedDanger[] = [];
    for (const danger of saying.dangers) dangers.push(await countOne(danger, from));
    counted.push({ ...saying, dangers });
  }
  return counted;
}

async function countOne(danger: Danger, from: Parameters<typeof countDangers>[1]): Promise<CountedDanger> {
  if (from === undefined) return danger;
  try {
    const row = await from.reader.first({ sql: from.ddl.count(danger.hazard) }, []);
    const [count, example] = row ?? [];
    return { ...danger, count: Number(count ?? 0), ...(typeof example === 'string' ? { example } : {}) };
  } catch (error) {
    // Too many to be counted in the time that a statement has.
    if (error instanceof StoreError && error.fault.kind === 'busy') return danger;
    throw error;
  }
}

/** `hut.beds: minimum 3; 2 rows break it, which stops it`: a line for each thing. */
export const sayingText = ({ subject, text, dangers }: CountedSaying): string =>
  [`${subject}: ${text}`, ...dangers.map((danger) => dangerText(danger, danger)).filter((words) => words !== '')].join(
    '; ',
  );

export const isLossy = ({ dangers }: CountedSaying): boolean =>
  dangers.some(({ consequence, count }) => consequence === 'loses' && count !== 0);

export const isStopped = ({ dangers }: CountedSaying): boolean =>
  dangers.some(({ consequence, count }) => consequence === 'stops' && count !== undefined && count > 0);

/** What a fill would take past what it stops at: a field whose rows lack a value, or have one that can't stay. */
export const fillable = (sayings: readonly CountedSaying[]): string | undefined =>
  sayings
    .filter(isStopped)
    .find(({ dangers }) =>
      dangers.every(({ hazard, count }) => count === 0 || ['rows', 'nulls', 'unfit', 'broken'].includes(hazard.kind)),
    )?.subject;
