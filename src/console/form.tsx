// Forms from the rules of a model: a field for each value, and what is wrong with it beside it.
import type { Signal } from '@preact/signals';
import type { JSX } from 'preact';
import { Editor } from './editor.tsx';
import { Picker } from './picker.tsx';
import { textOf } from './records.ts';
import type { Row } from './records.ts';
import type { Refused } from './write.ts';
import type { Value } from './wire.ts';

/** Texts as they stand in the fields, by member; the empty text is nothing. */
export type Texts = Readonly<Record<string, string>>;

export const textsOf = (values: readonly Value[], row: Row | undefined): Texts =>
  Object.fromEntries(
    values.map((value) => [value.member, textOf(row === undefined ? value.usual : row[value.member])]),
  );

const isCounted = ({ type }: Value): boolean => type === 'integer' || type === 'number';
const isNested = ({ type }: Value): boolean => type === 'json' || type === 'object' || type === 'array';

/** A field's text as the value that is sent. What can't be read as one goes as it is: the service tells of it. */
export function valueOf(value: Value, text: string): unknown {
  if (text === '') return null;
  if (value.type === 'boolean') return text === 'true';
  if (isCounted(value)) return /^-?(\d+|\d*\.\d+)(e-?\d+)?$/i.test(text.trim()) ? Number(text) : text;
  if (!isNested(value)) return text;
  try {
    return JSON.parse(text) as unknown;
  } catch {
    return text;
  }
}

/** What a form says, by member. */
export const bodyOf = (values: readonly Value[], texts: Texts): Row =>
  Object.fromEntries(values.map((value) => [value.member, valueOf(value, texts[value.member] ?? '')]));

export function Fields(props: {
  values: readonly Value[];
  texts: Signal<Texts>;
  refused: Refused | undefined;
  isNew: boolean;
}): JSX.Element {
  const { values, texts, refused, isNew } = props;
  return (
    <div class="fields">
      {values.map((value) => (
        <Field key={value.member} value={value} texts={texts} faults={faultsAt(refused, value.member)} isNew={isNew} />
      ))}
    </div>
  );
}

const faultsAt = (refused: Refused | undefined, member: string): string[] =>
  (refused?.faults ?? [])
    .filter(({ pointer, parameter }) => pointer?.split('/')[1] === member || parameter === member)
    .map(({ detail }) => detail);

function Field(props: { value: Value; texts: Signal<Texts>; faults: readonly string[]; isNew: boolean }): JSX.Element {
  const { value, texts, faults, isNew } = props;
  const { member, required, hasDefault, description } = value;
  const id = `field-${member}`;
  const set = (text: string): void => {
    texts.value = { ...texts.value, [member]: text };
  };
  const read = (): string => texts.value[member] ?? '';
  const text = read();
  const isFixed = value.immutable && !isNew;
  const about = {
    id,
    'aria-invalid': faults.length > 0,
    'aria-describedby': `${id}-rules${faults.length === 0 ? '' : ` ${id}-faults`}`,
    disabled: isFixed,
  };
  return (
    <div class={`field ${faults.length === 0 ? '' : 'is-wrong'}`}>
      <label for={id} id={`${id}-label`} onClick={() => document.getElementById(id)?.focus()}>
        {member}
        {required && !hasDefault ? <abbr title="required">*</abbr> : null}
      </label>
      <Control value={value} text={text} read={read} set={set} about={about} />
      <p class="rules" id={`${id}-rules`}>
        {[isFixed ? 'set once, when it is made' : '', rulesOf(value), description ?? ''].filter(Boolean).join(' · ')}
      </p>
      {faults.length === 0 ? null : (
        <p class="faults" id={`${id}-faults`}>
          {faults.join('; ')}
        </p>
      )}
    </div>
  );
}

interface ControlProps {
  value: Value;
  text: string;
  read(): string;
  set(text: string): void;
  about: { id: string; 'aria-invalid': boolean; 'aria-describedby': string; disabled: boolean };
}

function Control({ value, text, read, set, about }: ControlProps): JSX.Element {
  const { type, refersTo, enum: words } = value;
  const onInput = (event: JSX.TargetedEvent<HTMLInputElement | HTMLTextAreaElement | HTMLSelectElement>): void =>
    set(event.currentTarget.value);
  if (refersTo !== undefined) return <Picker target={refersTo} text={text} set={set} about={about} />;
  const choices = words?.map(String) ?? (type === 'boolean' ? ['true', 'false'] : undefined);
  if (choices !== undefined) {
    return (
      <select {...about} value={text} onChange={onInput}>
        <option value="">–</option>
        {choices.map((word) => (
          <option key={word} value={word}>
            {type === 'boolean' ? (word === 'true' ? 'yes' : 'no') : word}
          </option>
        ))}
      </select>
    );
  }
  if (isNested(value)) return <JsonField read={read} set={set} about={about} />;
  if (type === 'text') return <textarea {...about} rows={3} spellcheck={false} value={text} onInput={onInput} />;
  const kind = type === 'date' ? 'date' : type === 'secret' ? 'password' : 'text';
  const keys = isCounted(value) || type === 'decimal' ? 'decimal' : undefined;
  return (
    <input
      {...about}
      type={kind}
      inputMode={keys}
      autocomplete="off"
      spellcheck={false}
      value={text}
      onInput={onInput}
    />
  );
}

function JsonField({ read, set, about }: Pick<ControlProps, 'read' | 'set' | 'about'>): JSX.Element {
  const { id, disabled } = about;
  return (
    <Editor
      text={read}
      language="json"
      about={{
        id,
        'aria-labelledby': `${id}-label`,
        'aria-describedby': about['aria-describedby'],
        'aria-invalid': String(about['aria-invalid']),
      }}
      isFixed={disabled}
      onInput={set}
    />
  );
}

/** The rules of a value, in a few words. */
function rulesOf(value: Value): string {
  const { type, items, scale, minimum, maximum, minLength, maxLength, pattern, refersTo, isUnique, setBy } = value;
  const range = (least: number | undefined, most: number | undefined, unit: string): string =>
    least === undefined && most === undefined ? '' : `${least ?? '…'} to ${most ?? '…'}${unit}`;
  const kind = refersTo !== undefined ? `a ${refersTo}` : items === undefined ? type : `JSON: an array of ${items}`;
  return [
    value.enum === undefined ? kind : '',
    type === 'decimal' ? `${scale} digits after the point` : '',
    type === 'date-time' ? 'as 2026-06-01T08:00:00Z' : type === 'json' || type === 'object' ? 'written as JSON' : '',
    range(minimum, maximum, ''),
    range(minLength, maxLength, ' characters'),
    pattern === undefined ? '' : `matches ${pattern}`,
    isUnique === true ? 'unique' : '',
    setBy == null ? '' : `set by ${setBy}`,
  ]
    .filter(Boolean)
    .join(', ');
}
