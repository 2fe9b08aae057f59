import { usualType } from '../../core/api/media-types.ts';
import type { Answer, Fault } from '../../core/trial/answer.ts';
import { codeFor } from '../../core/trial/case.ts';
import type { Case, Step } from '../../core/trial/case.ts';
import type { DocumentJudge } from '../../core/trial/document-judge.ts';
import { faultOf, judge } from '../../core/trial/judge.ts';
import { verdictOn } from '../../core/trial/foresee.ts';
import type { Verdict } from '../../core/trial/foresee.ts';
import { pathWithKept, valueAt, withKept } from '../../core/trial/kept.ts';
import type { CodeNote } from '../../core/trial/observe-code.ts';
import type { Answered, Outcome, Sent } from '../../core/trial/report/outcome.ts';
import { placeText } from '../code-place.ts';
import type { RowCopy } from '../../store/row-copy.ts';
import type { Foresight } from './foresight.ts';
import { sendRequest } from './send-request.ts';

/** Where cases are sent. */
export interface Tried {
  /** A service in which everybody may do everything: it is for what doesn't depend on who asks. */
  readonly open: string;
  /** The service as it is. */
  readonly own: string;
  /** The service as it is, with its limits of requests, which cases of their own use up. */
  readonly limited: string;
  /** The token of somebody, by their name; nobody has none. */
  tokenOf(name: string): string | undefined;
  /** The last code that was sent to each address; left out where another process sends them. */
  codes?(): Promise<ReadonlyMap<string, string>>;
  readonly document: DocumentJudge;
  /** Predicts every answer; left out where nothing looks into the database. */
  readonly foresight?: Foresight;
}

/** Runs cases one after the other; with a `snapshot`, each on the records as they were. */
export async function runCases(
  chosen: readonly Case[],
  tried: Tried,
  bail: boolean,
  snapshot?: RowCopy,
  progress?: (done: number) => void,
): Promise<Outcome[]> {
  const outcomes: Outcome[] = [];
  let isChanged = false;
  for (const one of chosen) {
    progress?.(outcomes.length);
    if (isChanged && snapshot !== undefined) {
      await snapshot.restore();
      tried.foresight?.reset();
    }
    isChanged = one.steps.some(({ method }) => method !== 'GET');
    const outcome = await runCase(one, tried);
    outcomes.push(outcome);
    if (bail && outcome.failure !== undefined) break;
  }
  return outcomes;
}

/** Sends a case's requests one after the other, and stops at the first answer that is not as expected. */
export async function runCase(one: Case, tried: Tried): Promise<Outcome> {
  const begun = performance.now();
  const kept = new Map<string, unknown>();
  const answered: Answered[] = [];
  const obstacle = one.steps.find((step) => step.obstacle !== undefined)?.obstacle;
  if (obstacle !== undefined)
    return { case: one, milliseconds: performance.now() - begun, answered, notEstablished: obstacle };
  for (const step of one.steps) {
    if (step.takesCode === true) for (const [to, code] of await tried.codes!()) kept.set(codeFor(to), code);
    const { sent, answer, verdict, all } = await runStep(one, step, tried, kept);
    answered.push(...all);
    if (verdict.kind !== 'good') {
      const ended =
        verdict.kind === 'wrong'
          ? { failure: { sent, answer, faults: verdict.faults } }
          : { notEstablished: verdict.reason };
      return { case: one, milliseconds: performance.now() - begun, answered, ...ended };
    }
    keep(step, answer, kept);
  }
  return { case: one, milliseconds: performance.now() - begun, answered };
}

interface StepOutcome {
  readonly sent: Sent;
  readonly answer: Answer;
  readonly verdict: Verdict;
  readonly all: readonly Answered[];
}

async function runStep(one: Case, step: Step, tried: Tried, kept: ReadonlyMap<string, unknown>): Promise<StepOutcome> {
  const all = (step.together ?? Array.from({ length: step.times ?? 1 }, () => step)).map((part) => sentOf(part, kept));
  const [sent] = all as [Sent];
  const isAlone = all.length === 1 && step.together === undefined && step.exhausts === undefined;
  const isRace = step.times !== undefined;
  const predicted = isAlone || isRace ? await tried.foresight?.predict(sent) : undefined;
  const hoped = step.expect.statuses ?? [step.expect.status];
  if (isRace && predicted !== undefined && 'status' in predicted && !hoped.includes(predicted.status)) {
    const reason = `${predicted.status} ${predicted.reason}`;
    return { sent, answer: NO_ANSWER, verdict: { kind: 'not-established', reason }, all: [] };
  }
  const spent = step.exhausts === undefined ? undefined : await exhaust(tried, sent, step.exhausts, step.expect.status);
  const answers = spent === undefined ? await Promise.all(all.map((part) => ask(tried, part))) : [spent.answer];
  const notes = predicted === undefined || !isAlone ? [] : tried.foresight!.follow(sent, predicted, answers[0]!);
  if (!isAlone) tried.foresight?.lose();
  const faults = answers.flatMap((answer, at) => documentFaults(tried, all[at]!, answer, one));
  const [first] = answers as [Answer];
  const isPaged = step.pages === true && first.status === 200;
  const answer = isPaged ? await thereAndBack(tried, sent, first) : first;
  const seen: StepOutcome['all'] = answers.map(({ status }, at) => ({
    method: all[at]!.method,
    path: pathIn(all[at]!),
    status,
    as: all[at]!.as,
  }));
  const done = (verdict: Verdict): StepOutcome => ({ sent, answer, verdict, all: seen });
  if (faults.length > 0) return done({ kind: 'wrong', faults: withThrown(faults, notes) });
  if (!isAlone)
    faults.push(...(step.exhausts === undefined ? together(step, answers) : judge(step.expect, answer, kept)));
  if (faults.length === 0) faults.push(...(spent?.faults ?? []));
  if (faults.length > 0) return done({ kind: 'wrong', faults });
  if (!isAlone) return done({ kind: 'good' });
  // What a developer has written down is right, whatever follows from the models.
  const isOwn = one.endpoint === 'scenario';
  const verdict = isOwn
    ? verdictOn(step.expect, NOTHING_PREDICTED, [], answer, kept)
    : verdictOn(step.expect, predicted ?? NOTHING_PREDICTED, notes, answer, kept);
  return done(verdict.kind === 'wrong' ? { ...verdict, faults: withThrown(verdict.faults, notes) } : verdict);
}

const NO_ANSWER: Answer = { status: 0, headers: {}, body: undefined };
const NOTHING_PREDICTED = { unsure: 'nothing is predicted' } as const;

/** Faults, with what the project's own code threw before them. */
export const withThrown = (faults: readonly Fault[], notes: readonly CodeNote[]): Fault[] => [
  ...notes
    .filter(({ did }) => did === 'threw')
    .map(({ where, detail, error }) => ({ what: where, expected: 'no error', got: detail + placeText(error) })),
  ...faults,
];

/** Sends a request again and again, until it is refused; a limit gives some of itself back while that goes on. */
async function exhaust(
  tried: Tried,
  sent: Sent,
  least: number,
  refused: number,
): Promise<{ answer: Answer; faults: Fault[] }> {
  const limited = { ...tried, own: tried.limited };
  let answer = await ask(limited, sent);
  let letIn = 0;
  while (answer.status !== refused && letIn < 2 * least + 5) {
    letIn += 1;
    answer = await ask(limited, sent);
  }
  return { answer, faults: letIn < least ? [faultOf('requests that were let in before', least, letIn)] : [] };
}

export const sentOf = (step: Step, kept: ReadonlyMap<string, unknown>): Sent => ({
  method: step.method,
  path: pathWithKept(step.path, kept),
  headers: headersOf(step, kept),
  ...(step.body === undefined ? {} : { body: withKept(step.body, kept) }),
  ...(step.as === undefined ? {} : { as: step.as }),
});

const pathIn = ({ path }: Sent): string => path.split('?')[0]!;

/** A scenario may request undeclared paths, to see that they do not exist. */
export function documentFaults({ document }: Tried, sent: Sent, answer: Answer, { endpoint }: Case): Fault[] {
  const isProblem = answer.headers['content-type'] === 'application/problem+json';
  if (endpoint === 'scenario' && isProblem && [404, 405].includes(answer.status)) return [];
  return document.judge(sent.method, sent.path, answer);
}

/** What came back of requests that were sent at once, in any order. */
function together({ expect: { statuses = [] } }: Step, answers: readonly Answer[]): Fault[] {
  const [wanted, got] = [[...statuses].sort(), answers.map(({ status }) => status).sort()];
  return wanted.join() === got.join() ? [] : [faultOf('the statuses of all', wanted, got)];
}

/** Far more than the pages of any samples: a list that never ends is at fault. */
const MOST_PAGES = 2_000;

/** All records of a list from its first page on, and all again from its last page back. */
async function thereAndBack(tried: Tried, sent: Sent, first: Answer): Promise<Answer> {
  interface Page {
    data: unknown[];
    page: { next: string | null; prev: string | null };
  }
  const pageAt = async (path: string): Promise<Answer> => ask(tried, { ...sent, path });
  let [last, pages] = [first, 1];
  const data = [...(first.body as Page).data];
  for (let next = (first.body as Page).page.next; next !== null && pages < MOST_PAGES; pages += 1) {
    last = await pageAt(next);
    if (last.status !== 200) return last;
    data.push(...(last.body as Page).data);
    next = (last.body as Page).page.next;
  }
  const back = [...(last.body as Page).data];
  for (let prev = (last.body as Page).page.prev; prev !== null && pages > 0; pages -= 1) {
    const page = await pageAt(prev);
    if (page.status !== 200) return page;
    back.unshift(...(page.body as Page).data);
    prev = (page.body as Page).page.prev;
  }
  return { ...first, body: { ...(first.body as object), data, back } };
}

export function keep({ keep: kept }: Step, answer: Answer, all: Map<string, unknown>): void {
  for (const one of kept === undefined ? [] : [kept].flat()) {
    all.set(one.name, 'header' in one ? answer.headers[one.header] : valueAt(one.pointer, answer.body));
  }
}

function headersOf(
  { method, body, type, ifMatch, headers = {} }: Step,
  kept: ReadonlyMap<string, unknown>,
): Record<string, string> {
  const given = Object.entries(headers).map(([name, value]) => [
    name,
    value.replace(/\{([^}]+)\}/g, (_all, one: string) => String(kept.get(one))),
  ]);
  return {
    ...(body === undefined ? {} : { 'content-type': type ?? usualType(method) }),
    ...(ifMatch === undefined ? {} : { 'if-match': ifMatch }),
    ...(Object.fromEntries(given) as Record<string, string>),
  };
}

export async function ask(tried: Tried, sent: Sent): Promise<Answer> {
  const token = sent.as === undefined ? undefined : tried.tokenOf(sent.as);
  return sendRequest(sent.as === undefined ? tried.open : tried.own, sent, token);
}
