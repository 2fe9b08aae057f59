import type { Answer, Fault } from './answer.ts';
import type { Expectation } from './case.ts';
import { judge } from './judge.ts';
import type { CodeNote } from './observe-code.ts';
import type { NoPrediction, Predicted } from './oracle/predict.ts';

/** What is thought of an answer. */
export type Verdict =
  | { readonly kind: 'good' }
  | { readonly kind: 'wrong'; readonly faults: readonly Fault[] }
  /** The answer is right, but is not what the case is about: what stands in the way. */
  | { readonly kind: 'not-established'; readonly reason: string };

const GOOD: Verdict = { kind: 'good' };

/**
 * Judges an answer by the prediction first, and by the aim of the case then: an answer that was predicted is no
 * failure, even where the case had hoped for another one. Of an answer that the project's own code changed nothing is
 * known.
 */
export function verdictOn(
  aim: Expectation,
  predicted: Predicted,
  notes: readonly CodeNote[],
  answer: Answer,
  kept: ReadonlyMap<string, unknown>,
): Verdict {
  const threw = notes.find(({ did }) => did === 'threw');
  if (threw === undefined && notes.length > 0) {
    const faults = judge(aim, answer, kept);
    const [first] = notes as [CodeNote];
    return faults.length === 0 ? GOOD : { kind: 'not-established', reason: noteText(notes.find(isRefusal) ?? first) };
  }
  if (threw !== undefined || isUnsure(predicted)) return verdictOf(judge(aim, answer, kept));
  const faults = judge({ status: predicted.status }, answer, kept);
  if (faults.length === 0) faults.push(...predicted.faults(answer));
  if (faults.length > 0) return { kind: 'wrong', faults };
  const hoped = aim.statuses ?? [aim.status];
  const names = (answer.body as { errors?: { rule?: string; pointer?: string }[] } | undefined)?.errors ?? [];
  const isAim =
    hoped.includes(answer.status) &&
    (aim.error === undefined ||
      names.some(({ rule, pointer }) => rule === aim.error!.rule && pointer === aim.error!.pointer));
  if (!isAim) return { kind: 'not-established', reason: `${answer.status} ${predicted.reason}`.trim() };
  // The record itself is compared by the prediction.
  return verdictOf(judge({ ...aim, data: undefined, error: undefined }, answer, kept));
}

/** What an answer has other than was predicted; nothing where nothing was, but a status that no service should give. */
export function foreseenFaults(predicted: Predicted, notes: readonly CodeNote[], answer: Answer): Fault[] {
  if (answer.status >= 500) return [defectFault(answer)];
  if (notes.length > 0 || isUnsure(predicted)) return [];
  const faults = judge({ status: predicted.status }, answer, new Map());
  return faults.length > 0 ? faults : predicted.faults(answer);
}

/** A status that no service should give. */
export const defectFault = ({ status }: Answer): Fault => ({
  what: 'status',
  expected: 'below 500',
  got: String(status),
});

const isUnsure = (predicted: Predicted): predicted is NoPrediction => 'unsure' in predicted;
const isRefusal = ({ did }: CodeNote): boolean => did === 'refused';
const verdictOf = (faults: readonly Fault[]): Verdict => (faults.length === 0 ? GOOD : { kind: 'wrong', faults });

/** What the project's own code did, in words. */
export const noteText = ({ where, did, detail }: CodeNote): string => `${where} ${did}: ${detail}`;
