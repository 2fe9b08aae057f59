// The running record at the side: what was sent, what came back, and what it cost.
import { useSignal } from '@preact/signals';
import type { JSX } from 'preact';
import { asCall, asCurl, readableBody } from './copy.ts';
import { guarded, isTrailOpen, refresh, room, service } from './state.ts';
import { draft } from './request.tsx';
import { Chip } from './top.tsx';
import { ask, chosen, trail } from './trail.ts';
import { startTrial } from './trials.tsx';
import type { Entry } from './trail.ts';
import { call, Trouble } from './wire.ts';
import type { Plan } from './wire.ts';

export function TrailPanel(): JSX.Element {
  const entries = trail.value;
  if (!isTrailOpen.value) {
    return (
      <aside class="trail is-shut">
        <button type="button" onClick={() => (isTrailOpen.value = true)} aria-expanded={false}>
          Requests
        </button>
      </aside>
    );
  }
  return (
    <aside class="trail" aria-label="Requests">
      <header>
        <h2>Requests</h2>
        <button type="button" class="plain" onClick={() => (trail.value = [])} disabled={entries.length === 0}>
          Clear
        </button>
        <button
          type="button"
          class="plain"
          aria-label="Shut the record of requests"
          onClick={() => (isTrailOpen.value = false)}
        >
          ×
        </button>
      </header>
      <Keep />
      {entries.length === 0 ? <p class="empty">All that is done in this page is a request, and stands here.</p> : null}
      <ol>
        {entries.map((entry) => (
          <Line key={entry.answer.id} entry={entry} />
        ))}
      </ol>
    </aside>
  );
}

const groupOf = (status: number): string =>
  status < 300 ? 'well' : status < 400 ? 'same' : status < 500 ? 'refused' : 'failed';

function Line({ entry }: { entry: Entry }): JSX.Element {
  const { sent, answer } = entry;
  const isOpen = useSignal(false);
  const isChosen = chosen.value.has(answer.id);
  const choose = (): void => {
    const next = new Set(chosen.value);
    if (isChosen) next.delete(answer.id);
    else next.add(answer.id);
    chosen.value = next;
  };
  const [path, query] = sent.target.split('?');
  return (
    <li class={`is-${groupOf(answer.status)}`}>
      <div class="line">
        {service.value?.isLocal === true ? (
          <input
            type="checkbox"
            checked={isChosen}
            onChange={choose}
            aria-label={`Keep ${sent.method} ${sent.target}`}
          />
        ) : null}
        <button type="button" aria-expanded={isOpen.value} onClick={() => (isOpen.value = !isOpen.value)}>
          <span class="first">
            <b>{sent.method}</b> <span class="path">{path}</span>
          </span>
          {query === undefined ? null : <span class="query">?{decoded(query)}</span>}
          <span class="second">
            <span class="status">{answer.status}</span> {answer.milliseconds.toFixed(1)} ms,{' '}
            {countOf(answer.statements.filter(({ isBorder }) => !isBorder).length)} <Chip who={sent.as} />
          </span>
        </button>
      </div>
      {isOpen.value ? <Inside entry={entry} /> : null}
    </li>
  );
}

const countOf = (count: number): string => (count === 1 ? '1 statement' : `${count} statements`);

function decoded(query: string): string {
  try {
    return decodeURIComponent(query.replaceAll('+', ' '));
  } catch {
    return query;
  }
}

function Inside({ entry }: { entry: Entry }): JSX.Element {
  const { sent, answer } = entry;
  const plans = useSignal<readonly Plan[] | undefined>(undefined);
  const said = useSignal('');
  const again = (): void => {
    void guarded(async () => {
      await ask(sent);
      if (sent.method !== 'GET') await refresh();
    });
  };
  const edit = (): void => {
    draft.value = {
      as: sent.as,
      method: sent.method,
      target: sent.target,
      headers: sent.headers ?? {},
      body: sent.body ?? '',
    };
    room.value = 'request';
  };
  const copy = (what: string, text: string | undefined): void => {
    if (text === undefined) {
      said.value = 'the client has no call for it';
      return;
    }
    void navigator.clipboard.writeText(text).then(
      () => (said.value = `copied ${what}`),
      () => (said.value = text),
    );
  };
  const step = (): void => {
    void guarded(async () => {
      const { text } = await call<{ text: string }>('keep', { name: 'one-step', ids: [answer.id] });
      copy('the step', text.slice(text.indexOf('steps:\n') + 'steps:\n'.length));
    });
  };
  return (
    <div class="inside">
      <p class="buttons">
        <button type="button" onClick={again}>
          Send again
        </button>
        <button type="button" onClick={edit}>
          Edit
        </button>
        <button type="button" onClick={() => copy('the command', asCurl(sent, location.origin))}>
          Copy curl
        </button>
        <button type="button" onClick={() => copy('the call', asCall(sent, service.value?.models ?? []))}>
          Copy call
        </button>
        <button type="button" onClick={step}>
          Copy step
        </button>
      </p>
      <p class="quiet" role="status">
        {said.value}
      </p>
      {sent.body == null || sent.body === '' ? null : (
        <>
          <h3>Sent</h3>
          <pre tabIndex={0}>{sent.body}</pre>
        </>
      )}
      <h3>
        {answer.status} {answer.reason}
      </h3>
      {answer.body === '' ? null : <pre tabIndex={0}>{readableBody(entry)}</pre>}
      <Statements entry={entry} plans={plans.value} />
      {answer.statements.length > 0 && plans.value === undefined ? (
        <button
          type="button"
          onClick={() => void guarded(async () => void (plans.value = await call<Plan[]>('plans', { id: answer.id })))}
        >
          How the database goes about it
        </button>
      ) : null}
    </div>
  );
}

function Statements({ entry, plans }: { entry: Entry; plans: readonly Plan[] | undefined }): JSX.Element | null {
  const { statements } = entry.answer;
  if (plans !== undefined) {
    return (
      <>
        {plans.map((plan, at) => (
          <div key={at} class="statement">
            <h3>Statement {at + 1}</h3>
            <pre tabIndex={0}>{plan.sql}</pre>
            <ul class="plan">
              {plan.plan.map((step) => (
                <li key={step}>{step}</li>
              ))}
            </ul>
            <p class={plan.isServed ? 'is-served' : 'is-slow'}>
              {plan.isServed ? '✓' : '!'} {plan.verdict}
            </p>
            {plan.add === null ? null : (
              <p>
                In the model {plan.model}, add <code>index: [[{plan.add.join(', ')}]]</code>
              </p>
            )}
          </div>
        ))}
      </>
    );
  }
  if (statements.length === 0) return <p class="quiet">The database was not asked.</p>;
  return (
    <>
      <h3>SQL</h3>
      {statements.map(({ sql, isBorder, milliseconds, rows }, at) =>
        isBorder ? (
          <p key={at} class="quiet border">
            {sql}
          </p>
        ) : (
          <div key={at} class="statement">
            <p class="quiet">
              {milliseconds.toFixed(1)} ms, {rows === null ? 'failed' : rows === 1 ? '1 row' : `${rows} rows`}
            </p>
            <pre tabIndex={0}>{sql}</pre>
          </div>
        ),
      )}
    </>
  );
}

/** What was chosen, as a trial of the project. */
function Keep(): JSX.Element | null {
  const name = useSignal('');
  const said = useSignal('');
  const isWrong = useSignal(false);
  const ids = trail.value.map(({ answer }) => answer.id).filter((id) => chosen.value.has(id));
  if (ids.length === 0) {
    return said.value === '' ? null : (
      <p class="kept" role="status">
        {said.value}
      </p>
    );
  }
  const keep = (event: Event): void => {
    event.preventDefault();
    void guarded(async () => {
      try {
        const { file } = await call<{ file: string }>('keep', { name: name.value, ids: ids.reverse(), write: true });
        said.value = `Written as ${file}, and tried in the room of trials.`;
        isWrong.value = false;
        const title = name.value.replaceAll('-', ' ');
        chosen.value = new Set();
        name.value = '';
        room.value = 'trials';
        void startTrial(title);
      } catch (error) {
        if (!(error instanceof Trouble)) throw error;
        isWrong.value = true;
        said.value = error.message;
      }
    });
  };
  return (
    <form class="keep" onSubmit={keep}>
      <label>
        Keep {ids.length === 1 ? 'this one' : `these ${ids.length}`} as a trial, called
        <input
          type="text"
          value={name.value}
          placeholder="last-beds"
          autocomplete="off"
          aria-invalid={isWrong.value}
          onInput={(event) => (name.value = event.currentTarget.value)}
        />
      </label>
      <button type="submit" class="main">
        Keep
      </button>
      {isWrong.value ? (
        <p class="faults" role="alert">
          {said.value}
        </p>
      ) : null}
    </form>
  );
}
