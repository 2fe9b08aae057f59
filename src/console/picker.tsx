// A related record, found by what it is called.
import { useSignal } from '@preact/signals';
import type { Signal } from '@preact/signals';
import type { JSX } from 'preact';
import { useEffect } from 'preact/hooks';
import { labelFor } from './label.ts';
import { labelFields, labelOf, modelOf, readable, searchedBy, searching, textOf } from './records.ts';
import type { Row } from './records.ts';
import { eyes, guarded, service } from './state.ts';
import { nameOf } from './top.tsx';
import { ask } from './trail.ts';
import type { Model } from './wire.ts';

const MOST = 8;

interface Choice {
  readonly key: string;
  readonly label: string;
}

export function Picker(props: {
  target: string;
  text: string;
  set(key: string): void;
  about: { id: string; disabled: boolean; 'aria-invalid': boolean; 'aria-describedby': string };
}): JSX.Element {
  const model = modelOf(service.value!, props.target);
  const typed = useSignal<string | undefined>(undefined);
  const choices = useSignal<readonly Choice[]>([]);
  const picked = useSignal(-1);
  const label = useLabel(model, props.text, typed);

  const search = (text: string): void => {
    typed.value = text;
    picked.value = -1;
    void guarded(async () => {
      const found = await choicesOf(model, text);
      if (typed.value === text) choices.value = found;
    });
  };
  const take = (choice: Choice | undefined): void => {
    if (choice !== undefined) {
      label.value = choice.label;
      props.set(choice.key);
    }
    typed.value = undefined;
  };
  const onKeyDown = (event: KeyboardEvent): void => {
    const { length } = choices.value;
    if (event.key === 'Escape') typed.value = undefined;
    if (typed.value === undefined || length === 0) return;
    if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
      event.preventDefault();
      picked.value = (picked.value + (event.key === 'ArrowDown' ? 1 : -1) + length) % length;
    } else if (event.key === 'Enter') {
      event.preventDefault();
      take(choices.value[Math.max(picked.value, 0)]);
    }
  };
  const isOpen = typed.value !== undefined;
  return (
    <div class="picker">
      <input
        {...props.about}
        type="text"
        role="combobox"
        aria-expanded={isOpen}
        aria-controls={`${props.about.id}-choices`}
        autocomplete="off"
        placeholder={`a ${model.name}: type what it is called`}
        value={typed.value ?? (props.text === '' ? '' : label.value)}
        onInput={(event) => search(event.currentTarget.value)}
        onFocus={() => {
          if (props.text === '') search('');
        }}
        onKeyDown={onKeyDown}
        onBlur={() => (typed.value = undefined)}
      />
      {props.text === '' || props.about.disabled ? null : (
        <button type="button" class="plain" aria-label={`No ${model.name}`} onClick={() => props.set('')}>
          ×
        </button>
      )}
      {isOpen ? (
        <Choices
          id={`${props.about.id}-choices`}
          name={model.plural}
          choices={choices.value}
          picked={picked.value}
          take={take}
        />
      ) : null}
    </div>
  );
}

/** What the chosen record is called, once that is known. */
function useLabel(model: Model, key: string, typed: Signal<string | undefined>): Signal<string> {
  const label = useSignal('');
  useEffect(() => {
    if (key === '' || typed.value !== undefined) return;
    void guarded(async () => {
      label.value = (await labelFor(model, key)) ?? key;
    });
  }, [key]);
  return label;
}

/** Records of a model by what is typed of them; the first ones where that is nothing. */
async function choicesOf(model: Model, text: string): Promise<Choice[]> {
  const member = searchedBy(model);
  const query = new URLSearchParams({ limit: String(MOST), fields: labelFields(model).join(',') });
  if (text !== '' && member !== undefined) query.set('filter', searching(member, text));
  const target = `${model.path}?${readable(query)}`;
  const { value, answer } = await ask({ as: eyes.value, method: 'GET', target }, true);
  const rows = answer.status === 200 ? (value as { data: readonly Row[] }).data : [];
  return rows.map((row) => ({ key: textOf(row[model.key]), label: labelOf(model, row) }));
}

function Choices(props: {
  id: string;
  name: string;
  choices: readonly Choice[];
  picked: number;
  take(choice: Choice): void;
}): JSX.Element {
  return (
    <ul id={props.id} role="listbox" aria-label={props.name}>
      {props.choices.map((choice, index) => (
        <li
          key={choice.key}
          role="option"
          aria-selected={props.picked === index}
          onMouseDown={(event) => {
            event.preventDefault();
            props.take(choice);
          }}
        >
          {choice.label}
        </li>
      ))}
      {props.choices.length === 0 ? (
        <li role="option" aria-selected={false} class="quiet">
          none that {nameOf(eyes.value)} may see
        </li>
      ) : null}
    </ul>
  );
}
