// The project's trial: started here, with each failure as a request that can be looked at.
import { signal, useSignal } from '@preact/signals';
import type { JSX } from 'preact';
import { useEffect } from 'preact/hooks';
import { draft } from './request.tsx';
import { guarded, room } from './state.ts';
import { call } from './wire.ts';

interface SentInTrial {
  readonly method: string;
  readonly path: string;
  readonly headers: Readonly<Record<string, string>>;
  readonly body?: unknown;
  readonly as?: string;
}

interface TrialFailure {
  readonly model: string;
  readonly endpoint: string;
  readonly title: string;
  readonly sent: SentInTrial;
  readonly answer: { readonly status: number; readonly body?: unknown };
  readonly faults: readonly { readonly what: string; readonly expected?: string; readonly got?: string }[];
}

interface TrialResult {
  readonly passed: number;
  readonly failed: number;
  readonly notEstablished: readonly { readonly model: string; readonly title: string; readonly reason: string }[];
  readonly failures: readonly TrialFailure[];
}

interface TrialState {
  readonly isRunning?: boolean;
  readonly milliseconds?: number;
  readonly only?: string;
  readonly result?: TrialResult | null;
  readonly said?: string;
}

const POLL_MS = 700;
const state = signal<TrialState>({});

/** Starts the cases with such a text in their titles; all of them where it is empty. */
export const startTrial = (only: string): Promise<void> =>
  guarded(async () => {
    state.value = await call<TrialState>('trial', { start: true, only });
    await follow();
  });

async function follow(): Promise<void> {
  while (state.value.isRunning === true) {
    await new Promise((resolve) => setTimeout(resolve, POLL_MS));
    state.value = await call<TrialState>('trial');
  }
}

export function TrialsRoom(): JSX.Element {
  const only = useSignal('');
  useEffect(() => {
    void guarded(async () => {
      if (state.value.isRunning === true) return;
      state.value = await call<TrialState>('trial');
      await follow();
    });
  }, []);
  const { isRunning = false, milliseconds = 0, result, said = '' } = state.value;
  const submit = (event: Event): void => {
    event.preventDefault();
    void startTrial(only.value.trim());
  };
  const seconds = (milliseconds / 1000).toFixed(1);
  return (
    <section class="trials" aria-label="Trials">
      <form class="bar" onSubmit={submit}>
        <h2>Trials</h2>
        <input
          type="text"
          value={only.value}
          placeholder="only with this in the title"
          aria-label="Only cases with this text in their title"
          onInput={(event) => (only.value = event.currentTarget.value)}
        />
        <button type="submit" class="main" disabled={isRunning}>
          {only.value.trim() === '' ? 'Try everything' : 'Try these'}
        </button>
      </form>
      <p class="quiet">
        The API is tried on a database of its own, which is thrown away: each rule at its limits, each grant, each
        scenario of trials/. What you look at here stays as it is.
      </p>
      <div role="status">
        {isRunning ? <p>Running for {seconds} s …</p> : null}
        {result == null ? null : (
          <p class="verdict">
            <b class={result.failed === 0 ? 'is-served' : 'is-bad'}>
              {result.passed} passed, {result.failed} failed
            </b>{' '}
            in {seconds} s
            {result.notEstablished.length === 0 ? '' : `; ${result.notEstablished.length} could not be tried`}
          </p>
        )}
      </div>
      {!isRunning && result === null && said !== '' ? <pre>{said}</pre> : null}
      <ol class="scroll failures" tabIndex={0} aria-label="Failures" hidden={(result?.failures ?? []).length === 0}>
        {(result?.failures ?? []).map((failure) => (
          <Failed key={`${failure.model} ${failure.endpoint} ${failure.title}`} failure={failure} />
        ))}
      </ol>
    </section>
  );
}

function Failed({ failure }: { failure: TrialFailure }): JSX.Element {
  const { model, endpoint, title, sent, answer, faults } = failure;
  const look = (): void => {
    const body = sent.body === undefined ? '' : JSON.stringify(sent.body, undefined, 2);
    draft.value = { as: null, method: sent.method, target: sent.path, headers: sent.headers, body };
    room.value = 'request';
  };
  return (
    <li>
      <p>
        <b>{model}</b> {endpoint}: {title}
      </p>
      <p class="quiet">
        {sent.method} {sent.path} as {sent.as ?? 'somebody who may do everything'}: {answer.status}
      </p>
      {faults.map((fault) => (
        <p key={JSON.stringify(fault)} class="faults">
          {fault.what}: {fault.expected === undefined ? '' : `expected ${fault.expected}, `}got {fault.got ?? 'nothing'}
        </p>
      ))}
      <button type="button" onClick={look}>
        Open as a request
      </button>
    </li>
  );
}
