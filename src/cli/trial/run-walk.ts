import type { Answer, Fault } from '../../core/trial/answer.ts';
import type { Case, Step } from '../../core/trial/case.ts';
import { foreseenFaults } from '../../core/trial/foresee.ts';
import type { Answered, Outcome, Sent } from '../../core/trial/report/outcome.ts';
import { keyTextOf } from '../../core/trial/oracle/world-state.ts';
import { nextStep } from '../../core/trial/walk/next-step.ts';
import type { WalkParts } from '../../core/trial/walk/next-step.ts';
import { shrink } from '../../core/trial/walk/shrink.ts';
import { journalFaults, worldFaults } from '../../core/trial/walk/world-faults.ts';
import type { Graph } from '../../core/model/graph.ts';
import type { FieldValue } from '../../core/model/scalar.ts';
import { randomOf } from '../../core/text/random.ts';
import { Failure, EXIT } from '../../project/failure.ts';
import type { Foresight } from './foresight.ts';
import type { OpenTrial } from './open-trial.ts';
import { ask, documentFaults, keep, sentOf, withThrown } from './run-cases.ts';

export interface WalkOptions {
  /** So many requests are sent. */
  readonly requests: number;
  /** The same number sends the same requests to the same samples. */
  readonly random: number;
  readonly progress?: (sent: number) => void;
}

/** What came of walks. */
export interface Walked {
  readonly outcomes: readonly Outcome[];
  /** The statuses that were predicted, for each request of a walk that failed. */
  readonly statuses: readonly (readonly number[])[];
  readonly sent: number;
  /** Of so many answers nothing was predicted but that they fit the document. */
  readonly unsure: number;
}

/** After so many requests the samples are put back: what fails is not long. */
const REQUESTS_A_WALK = 80;
/** Requests that are sent at the same time, now and then. */
const AT_ONCE = 3;
const SHARE_AT_ONCE = 0.06;

/** Sends random requests as random callers, and holds every answer, and the records at the end, against the oracle. */
export async function runWalks(trial: OpenTrial, graph: Graph, options: WalkOptions): Promise<Walked> {
  const { foresight } = trial.tried;
  if (foresight === undefined || trial.world === undefined)
    throw new Failure(EXIT.foundWrong, 'the samples are too many to walk through', 'walk with fewer samples');
  const outcomes: Outcome[] = [];
  const statuses: number[][] = [];
  let [sent, unsure, number] = [0, 0, 0];
  while (sent < options.requests) {
    number += 1;
    const random = randomOf(options.random * 1_000_003 + number);
    const parts: WalkParts = { graph, known: trial.known, callers: callersIn(trial), random, now: trial.now };
    const begun = performance.now();
    const run = await beginRun(trial, foresight);
    const steps: Step[] = [];
    const names = new Map<string, string>();
    let faults: readonly Fault[] = [];
    const length = Math.min(REQUESTS_A_WALK, options.requests - sent);
    while (run.answered.length < length && faults.length === 0) {
      const state = await foresight.world();
      const step = nextOf(parts, (at) => nextStep(parts, state, names, steps.length * AT_ONCE + at));
      steps.push(step);
      faults = await run.take(step);
      for (const [name, key] of run.kept)
        names.set(`${name.replace(/-\d+$/, '')}/${keyTextOf(key as FieldValue)}`, name);
      options.progress?.(sent + run.answered.length);
    }
    if (faults.length === 0) faults = await run.end();
    sent += run.answered.length;
    unsure += run.unsure;
    const title = `walk ${number} of --random ${options.random}: ${run.answered.length} requests`;
    const one: Case = { model: 'walk', endpoint: 'walk', title, steps };
    const base = { milliseconds: performance.now() - begun, answered: run.answered };
    if (faults.length === 0) outcomes.push({ ...base, case: one });
    else {
      const failure = { ...run.last(), faults, before: run.sent.slice(0, -1) };
      const found = await shortened(trial, foresight, { steps, statuses: run.statuses, failure });
      statuses.push(found.statuses);
      outcomes.push({
        ...base,
        case: { ...one, title: titleOf(title, found.steps), steps: found.steps },
        failure: found.failure,
      });
    }
  }
  return { outcomes, statuses, sent, unsure };
}

const titleOf = (title: string, { length }: readonly Step[]): string =>
  `${title}, of which ${length === 1 ? '1 is' : `${length} are`} enough`;

/** Callers of the samples, and nobody; those that a trial has made up only where there is nobody else. */
function callersIn({ world }: OpenTrial): string[] {
  const names = world!.people.map(({ name }) => name);
  const own = names.filter((name) => !name.startsWith('made-up'));
  return own.length > 1 ? own : names;
}

function nextOf({ random }: WalkParts, next: (at: number) => Step): Step {
  if (!random.chance(SHARE_AT_ONCE)) return next(0);
  const together = Array.from({ length: 2 + random.upTo(AT_ONCE - 2) }, (_none, at) => next(at));
  return { ...together[0]!, keep: undefined, together };
}

/** The requests of one walk, one after the other. */
interface Run {
  readonly answered: Answered[];
  readonly kept: ReadonlyMap<string, unknown>;
  /** The requests as they were sent. */
  readonly sent: Sent[];
  /** The statuses that they must have. */
  readonly statuses: number[];
  readonly unsure: number;
  /** The last request, and its answer. */
  last(): { sent: Sent; answer: Answer };
  /** Sends a step, and gives what is wrong with its answer. */
  take(step: Step): Promise<Fault[]>;
  /** Gives what stands in the database other than it should. */
  end(): Promise<Fault[]>;
}

async function beginRun({ tried, snapshot, read, journal }: OpenTrial, foresight: Foresight): Promise<Run> {
  await snapshot.restore();
  foresight.reset();
  const kept = new Map<string, unknown>();
  const [answered, all, statuses]: [Answered[], Sent[], number[]] = [[], [], []];
  const walk: Case = { model: 'walk', endpoint: 'walk', title: '', steps: [] };
  let unsure = 0;
  let last: { sent: Sent; answer: Answer } | undefined;

  async function takeTogether(parts: readonly Step[]): Promise<Fault[]> {
    const sent = parts.map((part) => sentOf(part, kept));
    await foresight.predict(sent[0]!);
    const answers = await Promise.all(sent.map((one) => ask(tried, one)));
    all.push(...sent);
    statuses.push(...answers.map(takenFor));
    answers.forEach((answer, at) => {
      note(sent[at]!, answer);
      if (answer.status === 201) keep(parts[at]!, answer, kept);
    });
    const faults = answers.flatMap((answer, at) => documentFaults(tried, sent[at]!, answer, walk));
    return faults.length > 0 ? faults : foresight.judgeTogether(sent, answers);
  }

  function note(sent: Sent, answer: Answer): void {
    const { method, path, as } = sent;
    answered.push({ method, path: path.split('?')[0]!, status: answer.status, as });
    last = { sent, answer };
  }

  return {
    answered,
    kept,
    sent: all,
    statuses,
    get unsure() {
      return unsure;
    },
    last: () => last!,
    async take(step) {
      if (step.together !== undefined) return takeTogether(step.together);
      const sent = sentOf(step, kept);
      const predicted = await foresight.predict(sent);
      const answer = await ask(tried, sent);
      const notes = foresight.follow(sent, predicted, answer);
      all.push(sent);
      const isPredicted = 'status' in predicted && notes.every(({ did }) => did === 'threw');
      statuses.push(isPredicted ? predicted.status : takenFor(answer));
      note(sent, answer);
      if ('unsure' in predicted || notes.length > 0) unsure += 1;
      if (answer.status === 201) keep(step, answer, kept);
      const faults = withThrown(foreseenFaults(predicted, notes, answer), notes);
      return faults.length > 0 ? faults : documentFaults(tried, sent, answer, walk);
    },
    async end() {
      const known = foresight.known();
      if (known === undefined) return [];
      return [...worldFaults(known, await read()), ...journalFaults(known, await journal())];
    },
  };
}

/** The status that an answer should have where nothing predicts one: never that of a defect of the service. */
const takenFor = ({ status }: Answer): number => (status < 500 ? status : 200);

interface Shortened {
  readonly steps: readonly Step[];
  readonly statuses: number[];
  readonly failure: NonNullable<Outcome['failure']>;
}

/** The fewest of these requests that still go wrong, and how they do; all of them where they don't do it again. */
async function shortened(trial: OpenTrial, foresight: Foresight, whole: Shortened): Promise<Shortened> {
  let found: Shortened | undefined;
  const fails = async (some: readonly Step[]): Promise<boolean> => {
    const run = await beginRun(trial, foresight);
    let [faults, taken]: [readonly Fault[], number] = [[], 0];
    for (const step of some) {
      faults = await run.take(step);
      taken += 1;
      if (faults.length > 0) break;
    }
    if (faults.length === 0) faults = await run.end();
    if (faults.length === 0) return false;
    const before = run.sent.slice(0, -1);
    found = { steps: some.slice(0, taken), statuses: run.statuses, failure: { ...run.last(), faults, before } };
    return true;
  };
  if (!(await fails(whole.steps))) return whole;
  const shortest = await shrink(found!.steps, fails);
  await fails(shortest);
  return found!;
}
