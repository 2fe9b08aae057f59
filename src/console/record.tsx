// One record, opened beside the list: its values, what belongs to it, what was done to it, and what may be done.
import { signal, useSignal } from '@preact/signals';
import type { JSX } from 'preact';
import { useEffect } from 'preact/hooks';
import { bodyOf, Fields, textsOf } from './form.tsx';
import type { Texts } from './form.tsx';
import { Journal, Related } from './related.tsx';
import { labelFor } from './label.ts';
import { labelOf, modelOf, shortKey, textOf } from './records.ts';
import type { Row } from './records.ts';
import { eyes, guarded, open, openRecord, service, show } from './state.ts';
import type { Open } from './state.ts';
import { nameOf } from './top.tsx';
import { change, create, operate, remove } from './write.ts';
import type { Refused } from './write.ts';
import type { Model, Operation, Value } from './wire.ts';

export function RecordPanel(): JSX.Element | null {
  const shown = open.value;
  if (shown === undefined) return null;
  const model = modelOf(service.value!, shown.model);
  const title =
    shown.row === undefined ? (shown.key === undefined ? `New ${model.name}` : model.name) : labelOf(model, shown.row);
  return (
    <aside class="record" aria-label={title}>
      <header>
        <div>
          <p class="quiet">{model.name}</p>
          <h2>{title}</h2>
        </div>
        <button type="button" class="plain" aria-label="Close the record" onClick={() => show(undefined)}>
          ×
        </button>
      </header>
      {shown.refusal === '' ? (
        <Body key={`${shown.number} ${shown.tag}`} model={model} shown={shown} />
      ) : (
        <p class="empty">
          {shown.refusal === '' ? '' : `${shown.refusal} `}
          <span class="quiet">{nameOf(eyes.value)} may not see it, or it is not there any more.</span>
        </p>
      )}
    </aside>
  );
}

const Body = ({ model, shown }: { model: Model; shown: Open }): JSX.Element =>
  shown.isEdited ? <Edit model={model} shown={shown} /> : <View model={model} shown={shown} />;

/** What may be set: a new record's fields, or those that may change. */
const settable = (model: Model, isNew: boolean): Value[] => [
  ...model.fields.filter(
    ({ of, readOnly, immutable }) => (of === 'field' || of === 'relation') && !readOnly && (isNew || !immutable),
  ),
  ...(isNew ? model.fields.filter((value) => value.of === 'key' && value.type !== 'uuid' && !value.readOnly) : []),
  ...model.links.map(({ member, target }): Value => ({
    ...{ member, of: 'field', type: 'array', items: `keys of ${target}`, scale: 0, description: null },
    ...{ required: false, hasDefault: true, readOnly: false, immutable: false },
  })),
];

function Edit({ model, shown }: { model: Model; shown: Open }): JSX.Element {
  const isNew = shown.key === undefined;
  const values = settable(model, isNew);
  const first = textsOf(values, shown.row);
  const texts = useSignal<Texts>(first);
  const refused = useSignal<Refused | undefined>(undefined);
  const isSent = useSignal(false);

  const send = (tag: string | undefined): void => {
    const changed = values.filter(({ member }) => texts.value[member] !== first[member]);
    const sent = isNew ? values.filter(({ member }) => texts.value[member] !== '') : changed;
    if (sent.length === 0 && !isNew) {
      show({ ...shown, isEdited: false });
      return;
    }
    isSent.value = true;
    void guarded(async () => {
      const body = bodyOf(sent, texts.value);
      refused.value = isNew ? await create(model, body) : await change(model, shown.row!, body, tag);
      if (refused.value !== undefined) focusFirstFault();
    }).finally(() => (isSent.value = false));
  };
  const submit = (event: Event): void => {
    event.preventDefault();
    send(shown.tag);
  };
  const cancel = (): void => {
    show(isNew ? undefined : { ...shown, isEdited: false });
  };
  return (
    <form onSubmit={submit} noValidate>
      <Refusal
        refused={refused.value}
        known={values}
        over={() => send(undefined)}
        shown={shown}
        canForce={!model.conditional}
      />
      <Fields values={values} texts={texts} refused={refused.value} isNew={isNew} />
      <footer>
        <button type="submit" class="main" disabled={isSent.value}>
          {isNew ? `Make the ${model.name}` : 'Save'}
        </button>
        <button type="button" onClick={cancel}>
          Cancel
        </button>
        <span class="quiet">as {nameOf(eyes.value)}</span>
      </footer>
    </form>
  );
}

/** The keyboard goes where something is to be mended. */
const focusFirstFault = (): void => {
  requestAnimationFrame(() => {
    const wrong = document.querySelector<HTMLElement>('.record .is-wrong :is(input, select, textarea)');
    (wrong ?? document.querySelector<HTMLElement>('.record .refusal'))?.focus();
  });
};

/** Why a write was refused, and the way out. */
function Refusal(props: {
  refused: Refused | undefined;
  known: readonly Value[];
  shown: Open;
  canForce: boolean;
  over(): void;
}): JSX.Element | null {
  const { refused, known, shown, canForce, over } = props;
  if (refused === undefined) return null;
  const isAtField = ({ pointer = '', parameter }: { pointer?: string; parameter?: string }): boolean =>
    known.some(({ member }) => pointer.split('/')[1] === member || parameter === member);
  const others = refused.faults.filter((fault) => !isAtField(fault));
  return (
    <div class="refusal" role="alert" tabIndex={-1}>
      <p>
        <b>{refused.status}</b> {refused.text}
      </p>
      {others.map(({ pointer, detail }) => (
        <p key={`${pointer} ${detail}`}>
          {pointer === undefined || pointer === '' ? '' : `${pointer}: `}
          {detail}
        </p>
      ))}
      <p class="way">{wayOut(refused.status)}</p>
      {refused.status === 412 ? (
        <p class="ways">
          <button type="button" onClick={() => void openRecord(shown.model, shown.key)}>
            Load what it is now
          </button>
          {canForce ? (
            <button type="button" onClick={over}>
              Write mine over it
            </button>
          ) : null}
        </p>
      ) : null}
    </div>
  );
}

function wayOut(status: number): string {
  switch (status) {
    case 401:
      return 'Nobody has signed in: look as somebody, at the top.';
    case 403:
    case 404:
      return 'Look as somebody who may, at the top; “Who may what” tells who that is.';
    case 409:
      return (
        'Something else is in the way: another record has this value or refers to it, or there is not enough left. ' +
        'Change that, or choose otherwise.'
      );
    case 412:
      return 'Somebody has changed the record since it was loaded.';
    case 422:
      return 'Mend what is marked, and send it again.';
    case 503:
      return 'The database does not answer just now: send it again in a moment.';
    default:
      return '';
  }
}

function View({ model, shown }: { model: Model; shown: Open }): JSX.Element {
  const row = shown.row!;
  const refused = useSignal<Refused | undefined>(undefined);
  const isAsked = useSignal(false);
  const can = (act: string): boolean => shown.may.includes(act);
  const del = (): void => {
    void guarded(async () => {
      refused.value = await remove(model, row, shown.tag);
    });
  };
  return (
    <div>
      <div class="acts">
        {model.verbs.includes('update') ? (
          <button
            type="button"
            class="main"
            onClick={() => show({ ...shown, isEdited: true })}
            title={can('update') ? undefined : `${nameOf(eyes.value)} may not, and would see how it is refused`}
          >
            Change{can('update') ? '' : ' (not allowed)'}
          </button>
        ) : null}
        {model.verbs.includes('delete') ? (
          isAsked.value ? (
            <span class="sure">
              Delete it?
              <button type="button" class="danger" onClick={del}>
                Delete
              </button>
              <button type="button" onClick={() => (isAsked.value = false)}>
                Keep
              </button>
            </span>
          ) : (
            <button type="button" onClick={() => (isAsked.value = true)}>
              Delete …
            </button>
          )
        ) : null}
      </div>
      <Refusal refused={refused.value} known={[]} over={del} shown={shown} canForce={false} />
      <Values model={model} row={row} />
      {model.owner === null ? null : <p class="owner">owner: {model.owner}</p>}
      {model.operations
        .filter(({ target }) => target === 'record')
        .map((operation) => (
          <Operate key={operation.name} model={model} row={row} operation={operation} can={can(operation.name)} />
        ))}
      <Related model={model} row={row} />
      {model.journal ? <Journal model={model} row={row} /> : null}
    </div>
  );
}

/** Labels of records that are referred to, as they become known. */
const labels = signal<ReadonlyMap<string, string>>(new Map());

/** A name that may break between its words. */
const Member = ({ name }: { name: string }): JSX.Element => (
  <>
    {name.split(/(?<=_)/).map((part) => (
      <>
        {part}
        <wbr />
      </>
    ))}
  </>
);

function Values({ model, row }: { model: Model; row: Row }): JSX.Element {
  useEffect(() => {
    for (const { member, refersTo } of model.fields) {
      const key = row[member];
      if (refersTo === undefined || key === null || key === undefined) continue;
      const target = modelOf(service.value!, refersTo);
      const name = `${eyes.value} ${refersTo} ${textOf(key)}`;
      if (labels.value.has(name) || !target.verbs.includes('read')) continue;
      void guarded(async () => {
        const text = (await labelFor(target, key)) ?? shortKey(key);
        labels.value = new Map(labels.value).set(name, text);
      });
    }
  }, [row]);
  return (
    <dl class="values">
      {model.fields
        .filter(({ isHidden }) => isHidden !== true)
        .map((value) => (
          <div key={value.member} class={`value is-${value.of}`}>
            <dt title={value.description ?? undefined}>
              <Member name={value.member} />
              {value.of === 'computed' ? <em>worked out</em> : null}
            </dt>
            <dd>
              <One value={value} row={row} />
            </dd>
          </div>
        ))}
      {model.links.map(({ member }) => (
        <div key={member} class="value">
          <dt>
            <Member name={member} />
          </dt>
          <dd>
            {Array.isArray(row[member])
              ? (row[member] as unknown[]).map(textOf).join(', ') || '–'
              : textOf(row[member])}
          </dd>
        </div>
      ))}
    </dl>
  );
}

function One({ value, row }: { value: Value; row: Row }): JSX.Element {
  const of = row[value.member];
  if (of === undefined) {
    return (
      <span class="unseen">
        not for {nameOf(eyes.value)}
        {value.seenBy == null ? '' : `: seen by ${value.seenBy}`}
      </span>
    );
  }
  if (of === null) return <span class="null">–</span>;
  if (value.refersTo !== undefined) {
    const label = labels.value.get(`${eyes.value} ${value.refersTo} ${textOf(of)}`) ?? shortKey(of);
    return (
      <button type="button" class="link" onClick={() => void openRecord(value.refersTo!, of)}>
        {label}
      </button>
    );
  }
  if (typeof of === 'boolean') return <span>{of ? 'yes' : 'no'}</span>;
  if (typeof of === 'object') return <pre>{JSON.stringify(of, undefined, 2)}</pre>;
  return <span class="plain-value">{textOf(of)}</span>;
}

/** A verb of the project's own, with a form for its input. */
export function Operate(props: {
  model: Model;
  row: Row | undefined;
  operation: Operation;
  can: boolean;
}): JSX.Element {
  const { model, row, operation, can } = props;
  const texts = useSignal<Texts>(textsOf(operation.input, undefined));
  const refused = useSignal<Refused | undefined>(undefined);
  const answer = useSignal<unknown>(undefined);
  const submit = (event: Event): void => {
    event.preventDefault();
    void guarded(async () => {
      const given = operation.input.filter(({ member }) => (texts.value[member] ?? '') !== '');
      const came = await operate(model, row, operation, bodyOf(given, texts.value));
      refused.value = came.refused;
      answer.value = came.value;
    });
  };
  return (
    <details class="operation">
      <summary>
        {operation.name}
        {can ? null : <span class="quiet"> (not allowed)</span>}
      </summary>
      <form onSubmit={submit} noValidate>
        {operation.description === null ? null : <p class="quiet">{operation.description}</p>}
        {refused.value === undefined ? null : (
          <p class="refusal" role="alert">
            <b>{refused.value.status}</b> {refused.value.text} {wayOut(refused.value.status)}
          </p>
        )}
        <Fields values={operation.input} texts={texts} refused={refused.value} isNew />
        <footer>
          <button type="submit" class="main">
            {operation.reads ? 'Ask' : 'Do it'}
          </button>
        </footer>
        {answer.value === undefined ? null : <pre>{JSON.stringify(answer.value, undefined, 2)}</pre>}
      </form>
    </details>
  );
}
