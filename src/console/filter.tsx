// Where an expression is typed: what may stand there is offered, and what is wrong is told at its place.
import { useSignal } from '@preact/signals';
import type { JSX } from 'preact';
import { Editor } from './editor.tsx';
import type { Offers } from './editor.tsx';
import type { Model } from './wire.ts';

const WORDS = [
  'AND',
  'OR',
  'NOT',
  'LIKE',
  'IN',
  'BETWEEN',
  'IS NULL',
  'IS NOT NULL',
  'CASEI(',
  'ACCENTI(',
  'count(',
  'exists(',
  'number(',
  'text(',
  'today()',
  'add(',
  'days_between(',
  'seconds_between(',
  'year(',
  'month(',
  'weekday(',
  'now()',
  'me()',
];
const MOST = 9;
const PLACE = /at character (\d+)/;

/** What may stand where a word has begun: members, words of the language, and values of an enum. */
function offersAt(model: Model, before: string): Offers {
  const begun = /[\w.]*$/.exec(before)![0];
  const compared = /([\w.]+)\s*(?:=|<>|IN\s*\(|,)\s*'?[\w-]*$/i.exec(before)?.[1];
  const words = model.fields.find(({ member }) => member === compared)?.enum ?? [];
  const values = words.map((word) => ({ word: typeof word === 'string' ? `'${word}'` : String(word), about: 'value' }));
  const all: Offers['offers'] = [
    ...values,
    ...model.fields
      .filter(({ isHidden }) => isHidden !== true)
      .map(({ member, type }) => ({ word: member, about: type })),
    ...WORDS.map((word) => ({ word, about: '' })),
  ];
  const plain = begun.toLowerCase();
  const offers = all.filter(({ word }) => word.replace("'", '').toLowerCase().startsWith(plain) && word !== begun);
  return { begun, offers: (begun === '' ? values : offers).slice(0, MOST) };
}

export function Filter(props: {
  model: Model;
  value: string;
  fault: string;
  onChange(filter: string): void;
}): JSX.Element {
  const { model, value, fault } = props;
  const text = useSignal(value);
  const given = useSignal(value);
  if (given.value !== value) {
    given.value = value;
    text.value = value;
  }
  const place = PLACE.exec(fault)?.[1];
  return (
    <div class="filter">
      <Editor
        text={() => text.value}
        language="expression"
        about={{
          'aria-label': "Filter: an expression, as beds > 20 AND valley = 'Askdal'",
          ...(fault === '' ? {} : { 'aria-invalid': 'true', 'aria-describedby': 'filter-fault' }),
        }}
        hint={placeholderOf(model)}
        fault={place === undefined ? undefined : { at: Number(place) - 1, text: fault }}
        onInput={(typed) => (text.value = typed)}
        onEnter={() => props.onChange(text.value.trim())}
        offersAt={(before) => offersAt(model, before)}
      />
      {fault === '' ? null : (
        <p class="fault" id="filter-fault" role="alert">
          {fault}
        </p>
      )}
    </div>
  );
}

/** An expression that would do for this model. */
function placeholderOf({ fields }: Model): string {
  const listed = fields.find((value) => value.enum !== undefined && value.enum.length > 0);
  if (listed !== undefined) return `filter, as ${listed.member} = '${listed.enum![0]}'`;
  const counted = fields.find(({ type }) => type === 'integer' || type === 'decimal');
  return counted === undefined ? 'filter: an expression' : `filter, as ${counted.member} > 10`;
}
