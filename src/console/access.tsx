// Who may what with a model's records: each endpoint beside everybody who might ask, with the grant behind it.
import { useSignal } from '@preact/signals';
import type { Signal } from '@preact/signals';
import type { JSX } from 'preact';
import { useEffect } from 'preact/hooks';
import { textOf } from './records.ts';
import { draft } from './request.tsx';
import { beside, eyes, guarded, list, model, room, service } from './state.ts';
import { Chip, nameOf } from './top.tsx';
import { ask } from './trail.ts';
import { call } from './wire.ts';
import type { Matrix } from './wire.ts';

const MARKS = { all: '●', some: '◐', none: '○' } as const;
const WORDS = { all: 'every record', some: 'some records', none: 'no record' } as const;
const MOST = 6;

export function AccessRoom(): JSX.Element | null {
  const of = model.value;
  const people = service.value?.people ?? [];
  // Those who are looked through come first.
  const first = [eyes.value, beside.value, ...people.map(({ who }) => who)].filter((who) => who != null);
  const picked = useSignal<readonly string[]>([...new Set(first)].slice(0, MOST));
  const matrix = useSignal<Matrix | undefined>(undefined);
  useEffect(() => {
    if (of === undefined) return;
    void guarded(async () => {
      matrix.value = await call<Matrix>('access', { model: of.name, people: picked.value });
    });
  }, [of?.name, picked.value]);
  if (of === undefined || matrix.value === undefined) return <p class="empty">Loading …</p>;
  const callers = [null, ...matrix.value.people.map(({ who }) => who)];
  return (
    <section class="access" aria-label={`Who may what with ${of.plural}`}>
      <div class="bar">
        <h2>Who may what with {of.plural}</h2>
        <People picked={picked} />
      </div>
      <p class="quiet">
        {MARKS.all} {WORDS.all}, {MARKS.some} {WORDS.some}, {MARKS.none} {WORDS.none}. A click asks as that caller; what
        writes is opened as a request first.
      </p>
      <Grid callers={callers} matrix={matrix.value} />
    </section>
  );
}

/** Whose columns are shown. */
function People({ picked }: { picked: Signal<readonly string[]> }): JSX.Element | null {
  const people = service.value?.people ?? [];
  if (people.length === 0) return null;
  const toggle = (who: string, isShown: boolean): void => {
    picked.value = isShown ? [...picked.value, who] : picked.value.filter((one) => one !== who);
  };
  return (
    <details class="columns">
      <summary>People</summary>
      <fieldset>
        <legend>Beside nobody</legend>
        {people.map(({ who, about }) => (
          <label key={who}>
            <input
              type="checkbox"
              checked={picked.value.includes(who)}
              onChange={(event) => toggle(who, event.currentTarget.checked)}
            />
            {nameOf(who)} <em>{about}</em>
          </label>
        ))}
      </fieldset>
    </details>
  );
}

function Grid({ callers, matrix }: { callers: readonly (string | null)[]; matrix: Matrix }): JSX.Element {
  return (
    <div class="scroll" tabIndex={0} role="region" aria-label="Matrix">
      <table class="matrix">
        <thead>
          <tr>
            <th scope="col">endpoint</th>
            {callers.map((who) => (
              <th key={who} scope="col">
                <Chip who={who} />
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {matrix.rows.map((row) => (
            <tr key={`${row.method} ${row.path}`}>
              <th scope="row">
                <b>{row.name}</b>{' '}
                <span class="quiet">
                  {row.method} {row.path}
                </span>
              </th>
              {row.cells.map((cell, at) => (
                <td key={at} class={`may-${cell.may}`}>
                  <button
                    type="button"
                    aria-label={`${row.name} as ${nameOf(callers[at]!)}: ${WORDS[cell.may]}, by ${cell.by}`}
                    onClick={() => tried(callers[at]!, row)}
                  >
                    <span aria-hidden="true">{MARKS[cell.may]}</span>{' '}
                    <small>{cell.may === 'none' ? 'no' : cell.by}</small>
                  </button>
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

/** One request as a caller: a read at once, a write when it has been looked at. */
function tried(who: string | null, { method, path }: Matrix['rows'][number]): void {
  const of = model.value!;
  const key = list.value?.rows[0]?.[of.key];
  const target = path.replace(/\{[^}]+\}/, key === undefined ? '' : encodeURIComponent(textOf(key)));
  if (method === 'GET') {
    void guarded(async () => void (await ask({ as: who, method, target })));
    return;
  }
  eyes.value = who;
  const body = method === 'DELETE' ? '' : '{}';
  const headers: Record<string, string> = method === 'PATCH' ? { 'content-type': 'application/merge-patch+json' } : {};
  draft.value = { as: who, method, target, headers, body };
  room.value = 'request';
}
