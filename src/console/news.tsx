// What happens to the project while the page is open: another service answers, or its files have errors.
import { signal } from '@preact/signals';
import type { JSX } from 'preact';
import { reload } from './state.ts';
import { call, Trouble } from './wire.ts';

interface Told {
  readonly served: number;
  readonly failure: string | null;
  readonly problems: readonly { readonly place: string; readonly message: string; readonly remedy: string }[];
}

const EVERY_MS = 2_000;
const told = signal<Told | undefined>(undefined);

/** Asks now and then, while somebody looks. */
export async function followNews(): Promise<void> {
  for (;;) {
    await new Promise((resolve) => setTimeout(resolve, EVERY_MS));
    if (document.hidden) continue;
    try {
      const before = told.value;
      const now = await call<Told>('news');
      told.value = now;
      if (before !== undefined && before.served !== now.served) await reload();
    } catch (error) {
      // What is asked for next tells that the service has gone.
      if (!(error instanceof Trouble)) throw error;
    }
  }
}

/** What keeps the files of the project from being served. */
export function Problems(): JSX.Element | null {
  const { failure = null, problems = [] } = told.value ?? {};
  if (failure === null) return null;
  return (
    <div class="problems" role="status">
      <p>
        <b>The service goes on as it was before:</b> {failure}
      </p>
      <ul>
        {problems.map(({ place, message, remedy }) => (
          <li key={`${place} ${message}`}>
            <code>{place}</code> {message} <span class="quiet">→ {remedy}</span>
          </li>
        ))}
      </ul>
    </div>
  );
}
