// Any request, written by hand.
import { signal, useSignal } from '@preact/signals';
import type { JSX } from 'preact';
import { readableBody } from './copy.ts';
import { Editor } from './editor.tsx';
import { eyes, guarded } from './state.ts';
import { Chip } from './top.tsx';
import { ask } from './trail.ts';
import type { Entry } from './trail.ts';

export interface Draft {
  readonly as: string | null;
  readonly method: string;
  readonly target: string;
  readonly headers: Readonly<Record<string, string>>;
  readonly body: string;
}

export const draft = signal<Draft>({ as: null, method: 'GET', target: '/', headers: {}, body: '' });
const METHODS = ['GET', 'POST', 'PATCH', 'PUT', 'DELETE', 'HEAD'];

const headersText = (headers: Draft['headers']): string =>
  Object.entries(headers)
    .map(([name, value]) => `${name}: ${value}`)
    .join('\n');

const headersOf = (text: string): Record<string, string> =>
  Object.fromEntries(
    text.split('\n').flatMap((line) => {
      const [, name, value] = /^\s*([^:\s]+)\s*:\s*(.*)$/.exec(line) ?? [];
      return name === undefined ? [] : [[name.toLowerCase(), value!.trim()]];
    }),
  );

const isJson = ({ 'content-type': type = 'application/json' }: Draft['headers']): boolean => /\bjson\b/.test(type);

export function RequestRoom(): JSX.Element {
  const { method, target, headers, body } = draft.value;
  const lines = useSignal(headersText(headers));
  const answer = useSignal<Entry | undefined>(undefined);
  const set = (part: Partial<Draft>): void => {
    draft.value = { ...draft.value, ...part };
  };
  const send = (event: Event): void => {
    event.preventDefault();
    void guarded(async () => {
      const given = headersOf(lines.value);
      const typed: Record<string, string> =
        body === '' || given['content-type'] !== undefined ? {} : { 'content-type': 'application/json' };
      const sent = { as: eyes.value, method, target, headers: { ...typed, ...given }, body: body === '' ? null : body };
      answer.value = await ask(sent);
    });
  };
  return (
    <section class="request" aria-label="A request by hand">
      <form onSubmit={send}>
        <div class="bar">
          <select aria-label="Method" value={method} onChange={(event) => set({ method: event.currentTarget.value })}>
            {METHODS.map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
          <input
            class="wide"
            type="text"
            aria-label="Path and query"
            spellcheck={false}
            value={target}
            onInput={(event) => set({ target: event.currentTarget.value })}
          />
          <button type="submit" class="main">
            Send
          </button>
          <span class="quiet">
            as <Chip who={eyes.value} />
          </span>
        </div>
        <label>
          Headers, a line each
          <textarea
            rows={2}
            spellcheck={false}
            value={lines.value}
            onInput={(event) => (lines.value = event.currentTarget.value)}
          />
        </label>
        <div>
          <p id="body-label" class="quiet">
            Body
          </p>
          <Editor
            text={() => draft.value.body}
            language={isJson(headersOf(lines.value)) ? 'json' : 'plain'}
            about={{ 'aria-labelledby': 'body-label' }}
            onInput={(text) => set({ body: text })}
          />
        </div>
      </form>
      {answer.value === undefined ? null : (
        <div role="status">
          <h3>
            {answer.value.answer.status} {answer.value.answer.reason}
          </h3>
          <pre tabIndex={0}>{readableBody(answer.value)}</pre>
        </div>
      )}
    </section>
  );
}
