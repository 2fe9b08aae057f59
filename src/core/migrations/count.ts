import { StoreError } from '../store/contract.ts';
import type { Reader, Store } from '../store/contract.ts';
import { riskText } from '../tables/change-summary.ts';
import type { ChangeSummary } from '../tables/change-summary.ts';
import type { Risk } from '../tables/risk.ts';
import type { CountedRisk, CountedSummary } from './schema-mismatch.ts';

/** Counts the rows at risk; without a database that the change begins from, they stay uncounted. */
export async function countRisks(
  summaries: readonly ChangeSummary[],
  from: { reader: Reader; ddl: Store['ddl'] } | undefined,
): Promise<CountedSummary[]> {
  const counted: CountedSummary[] = [];
  for (const summary of summaries) {
    const risks: CountedRisk[] = [];
    for (const risk of summary.risks) risks.push(await countOne(risk, from));
    counted.push({ ...summary, risks });
  }
  return counted;
}

async function countOne(risk: Risk, from: Parameters<typeof countRisks>[1]): Promise<CountedRisk> {
  if (from === undefined) return risk;
  try {
    const row = await from.reader.first({ sql: from.ddl.count(risk.affected) }, []);
    const [count, example] = row ?? [];
    return { ...risk, count: Number(count ?? 0), ...(typeof example === 'string' ? { example } : {}) };
  } catch (error) {
    // Too many to count within the time of a statement.
    if (error instanceof StoreError && error.fault.kind === 'busy') return risk;
    throw error;
  }
}

/** `hut.beds: minimum 3; 2 rows break it, which stops it`: a line for each thing. */
export const summaryText = ({ subject, text, risks }: CountedSummary): string =>
  [`${subject}: ${text}`, ...risks.map((risk) => riskText(risk, risk)).filter((words) => words !== '')].join('; ');

export const isLossy = ({ risks }: CountedSummary): boolean =>
  risks.some(({ consequence, count }) => consequence === 'loses' && count !== 0);

export const isStopped = ({ risks }: CountedSummary): boolean =>
  risks.some(({ consequence, count }) => consequence === 'stops' && count !== undefined && count > 0);

/** The fields that a fill would help: their rows lack a value, or have one that cannot stay. */
export const fillable = (summaries: readonly CountedSummary[]): string | undefined =>
  summaries
    .filter(isStopped)
    .find(({ risks }) =>
      risks.every(({ affected, count }) => count === 0 || ['rows', 'nulls', 'unfit', 'broken'].includes(affected.kind)),
    )?.subject;
