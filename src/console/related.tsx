// What belongs to a record: records that refer to it, and its journal as a time line.
import { useSignal } from '@preact/signals';
import type { JSX } from 'preact';
import { useEffect } from 'preact/hooks';
import { labelFields, labelOf, modelOf, readable, recordPath, shortKey, textOf } from './records.ts';
import type { Row } from './records.ts';
import { eyes, goTo, guarded, openRecord, service } from './state.ts';
import { ask } from './trail.ts';
import type { Model } from './wire.ts';

const FEW = 5;

export function Related({ model, row }: { model: Model; row: Row }): JSX.Element {
  return (
    <>
      {model.reverses.map((reverse) => (
        <RelatedList key={reverse.name} reverse={reverse} row={row} of={model} />
      ))}
    </>
  );
}

function RelatedList({
  of,
  reverse,
  row,
}: {
  of: Model;
  reverse: Model['reverses'][number];
  row: Row;
}): JSX.Element | null {
  const target = modelOf(service.value!, reverse.model);
  const found = useSignal<{ rows: readonly Row[]; total: number; refusal: string } | undefined>(undefined);
  const key = row[of.key];
  useEffect(() => {
    void guarded(async () => {
      const query = new URLSearchParams({
        ...{ [reverse.member]: textOf(key), limit: String(FEW), total: 'true', fields: labelFields(target).join(',') },
      });
      const { answer, value } = await ask(
        { as: eyes.value, method: 'GET', target: `${reverse.path}?${readable(query)}` },
        true,
      );
      const { data = [], page } = (value ?? {}) as { data?: readonly Row[]; page?: { total?: number } };
      found.value =
        answer.status === 200
          ? { rows: data, total: page?.total ?? data.length, refusal: '' }
          : { rows: [], total: 0, refusal: answer.reason };
    });
  }, [key]);
  const { rows, total, refusal } = found.value ?? { rows: [], total: 0, refusal: '' };
  const filter = `${reverse.member} = ${typeof key === 'number' ? key : `'${textOf(key)}'`}`;
  return (
    <section class="related">
      <h3>
        {reverse.name} <span class="count">{refusal === '' ? total : refusal}</span>
      </h3>
      <ul>
        {rows.map((one) => (
          <li key={textOf(one[target.key])}>
            <button type="button" class="link" onClick={() => void openRecord(target.name, one[target.key])}>
              {labelOf(target, one)}
            </button>
          </li>
        ))}
      </ul>
      {total > rows.length ? (
        <button type="button" class="link" onClick={() => goTo(target.name, filter)}>
          all {total} in the table
        </button>
      ) : null}
    </section>
  );
}

interface JournalLine {
  readonly id: string;
  readonly at: string;
  readonly by: string | null;
  readonly by_label?: string | null;
  readonly action: string;
  readonly changes: Readonly<Record<string, Change>> | null;
}

interface Change {
  readonly before?: unknown;
  readonly after?: unknown;
  readonly before_label?: unknown;
  readonly after_label?: unknown;
}

export function Journal({ model, row }: { model: Model; row: Row }): JSX.Element | null {
  const lines = useSignal<readonly JournalLine[] | undefined>(undefined);
  const refusal = useSignal('');
  useEffect(() => {
    void guarded(async () => {
      const target = `${recordPath(model, row[model.key])}/journal?limit=12&labels=true`;
      const { answer, value } = await ask({ as: eyes.value, method: 'GET', target }, true);
      refusal.value = answer.status === 200 ? '' : answer.reason;
      lines.value = answer.status === 200 ? (value as { data: readonly JournalLine[] }).data : [];
    });
  }, [row]);
  return (
    <section class="journal">
      <h3>What was done to it {refusal.value === '' ? null : <span class="count">{refusal.value}</span>}</h3>
      <ol>
        {(lines.value ?? []).map(({ id, at, by, by_label, action, changes }) => (
          <li key={id} class={`is-${action}`}>
            <time dateTime={at} title={at}>
              {at.slice(0, 16).replace('T', ' ')}
            </time>{' '}
            <b>{action}</b> by {personCalled(by, by_label)}
            {action === 'update' && changes !== null ? (
              <ul>
                {Object.entries(changes).map(([member, change]) => (
                  <li key={member}>
                    {member}: <del>{textOf(change.before_label ?? change.before) || '–'}</del>{' '}
                    <ins>{textOf(change.after_label ?? change.after) || '–'}</ins>
                  </li>
                ))}
              </ul>
            ) : null}
          </li>
        ))}
      </ol>
    </section>
  );
}

function personCalled(key: string | null, label?: string | null): string {
  if (typeof label === 'string') return label;
  if (key === null) return 'nobody in particular';
  const person = service.value?.people.find((one) => one.key === String(key));
  return person?.who.split('/').at(-1) ?? shortKey(key);
}
