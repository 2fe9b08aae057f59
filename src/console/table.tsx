// A model's records as a table, and what is to be seen of them by whom.
import type { JSX } from 'preact';
import { Filter } from './filter.tsx';
import { Operate } from './record.tsx';
import { columnsOf, labelOf, modelOf, shortKey, textOf } from './records.ts';
import type { Row } from './records.ts';
import {
  beside,
  eyes,
  isLoading,
  list,
  loadList,
  look,
  lookAt,
  model,
  newRecord,
  open,
  openRecord,
  other,
  service,
  shownColumns,
} from './state.ts';
import { Chip, nameOf } from './top.tsx';
import type { Model, Value } from './wire.ts';

export function Records(): JSX.Element | null {
  const of = model.value;
  if (of === undefined) return null;
  const seen = list.value;
  const fault = seen?.entry?.answer.status === 400 ? seen.refusal : '';
  return (
    <section class="records" aria-label={of.plural}>
      <div class="bar">
        <h2 title={of.description ?? undefined}>{of.plural}</h2>
        <Filter
          key={of.name}
          model={of}
          value={look.value.filter}
          fault={fault}
          onChange={(filter) => lookAt({ filter })}
        />
        <Columns of={of} />
        {of.verbs.includes('create') ? (
          <button type="button" class="main" onClick={newRecord}>
            New {of.name}
          </button>
        ) : null}
      </div>
      {of.operations
        .filter(({ target }) => target === 'list')
        .map((operation) => (
          <Operate key={`${of.name} ${operation.name}`} model={of} row={undefined} operation={operation} can />
        ))}
      {beside.value === undefined ? null : <Legend />}
      <Table of={of} />
      <Pages />
    </section>
  );
}

function Legend(): JSX.Element {
  return (
    <p class="legend-beside">
      <Chip who={eyes.value} /> beside <Chip who={beside.value ?? null} />
      <span class="mark only-one" /> not for {nameOf(beside.value ?? null)}
      <span class="mark only-other" /> not for {nameOf(eyes.value)}
    </p>
  );
}

function Columns({ of }: { of: Model }): JSX.Element {
  const toggle = (member: string, isShown: boolean): void => {
    const names = columnsOf(of).map((value) => value.member);
    const wanted = new Set(look.value.columns);
    if (isShown) wanted.add(member);
    else wanted.delete(member);
    lookAt({ columns: names.filter((name) => wanted.has(name)) });
  };
  return (
    <details class="columns">
      <summary>Columns</summary>
      <fieldset>
        <legend>Shown of each {of.name}</legend>
        {columnsOf(of).map(({ member, of: origin }) => (
          <label key={member}>
            <input
              type="checkbox"
              checked={look.value.columns.includes(member)}
              onChange={(event) => toggle(member, event.currentTarget.checked)}
            />
            {member} {origin === 'computed' ? <em>worked out</em> : null}
          </label>
        ))}
      </fieldset>
    </details>
  );
}

interface Both {
  readonly key: string;
  readonly one: Row | undefined;
  readonly two: Row | undefined;
}

/** The records that either sees, in the order of the one, then those of the other alone. */
function bothOf(of: Model, one: readonly Row[], two: readonly Row[] | undefined): Both[] {
  const keyOf = (row: Row): string => textOf(row[of.key]);
  const others = new Map((two ?? []).map((row) => [keyOf(row), row]));
  const first = one.map((row) => ({ key: keyOf(row), one: row, two: others.get(keyOf(row)) }));
  const known = new Set(first.map(({ key }) => key));
  const rest = (two ?? []).filter((row) => !known.has(keyOf(row)));
  return [...first, ...rest.map((row) => ({ key: keyOf(row), one: undefined, two: row }))];
}

function Table({ of }: { of: Model }): JSX.Element {
  const [seen, second] = [list.value, other.value];
  const columns = shownColumns.value;
  if (seen === undefined) return <p class="empty">{isLoading.value ? 'Loading …' : ''}</p>;
  if (seen.refusal !== '' && seen.entry?.answer.status !== 400 && second === undefined) return <Refused of={of} />;
  const rows = bothOf(of, seen.rows, second?.rows);
  if (rows.length === 0) return <Empty of={of} />;
  const sort = look.value.sort;
  return (
    <div
      class={`scroll ${isLoading.value ? 'is-loading' : ''}`}
      tabIndex={0}
      role="region"
      aria-label={`Table of ${of.plural}`}
    >
      <table>
        <thead>
          <tr>
            {columns.map((column) => (
              <Head key={column.member} column={column} sort={sort} />
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((both) => (
            <Line key={both.key} of={of} both={both} columns={columns} isCompared={second !== undefined} />
          ))}
        </tbody>
      </table>
    </div>
  );
}

const SORTABLE = /^(?!json|object|array)/;

function Head({ column, sort }: { column: Value; sort: string }): JSX.Element {
  const { member } = column;
  const way = sort === member ? 'ascending' : sort === `-${member}` ? 'descending' : undefined;
  const next = way === undefined ? member : way === 'ascending' ? `-${member}` : '';
  const canSort = column.of !== 'computed' && SORTABLE.test(column.type);
  return (
    <th
      scope="col"
      aria-sort={way}
      class={isNumber(column) ? 'number' : undefined}
      title={column.description ?? undefined}
    >
      {canSort ? (
        <button type="button" onClick={() => lookAt({ sort: next })}>
          {member} <span aria-hidden="true">{way === 'ascending' ? '↑' : way === 'descending' ? '↓' : ''}</span>
        </button>
      ) : (
        member
      )}
    </th>
  );
}

const isNumber = ({ type, refersTo }: Value): boolean =>
  refersTo === undefined && ['integer', 'number', 'decimal'].includes(type);

function Line(props: { of: Model; both: Both; columns: readonly Value[]; isCompared: boolean }): JSX.Element {
  const { of, both, columns, isCompared } = props;
  const row = both.one ?? both.two!;
  const isOpen = open.value?.model === of.name && textOf(open.value.key) === both.key;
  const mark =
    !isCompared || (both.one !== undefined && both.two !== undefined)
      ? ''
      : both.one === undefined
        ? 'only-other'
        : 'only-one';
  const show = (): void => void openRecord(of.name, row[of.key]);
  return (
    <tr class={`${mark} ${isOpen ? 'is-open' : ''}`} onClick={show}>
      {columns.map((column, index) => {
        const [one, two] = [both.one?.[column.member], both.two?.[column.member]];
        const hidden =
          mark !== '' || !isCompared || (one === undefined) === (two === undefined)
            ? ''
            : one === undefined
              ? 'only-other'
              : 'only-one';
        const text = <Shown column={column} row={row} />;
        return (
          <td key={column.member} class={`${isNumber(column) ? 'number' : ''} ${hidden}`}>
            {index === 0 ? (
              <button
                type="button"
                class="opens"
                aria-label={`Open ${labelOf(of, row)}`}
                onClick={(event) => {
                  event.stopPropagation();
                  show();
                }}
              >
                {text}
              </button>
            ) : (
              text
            )}
          </td>
        );
      })}
    </tr>
  );
}

const LONGEST = 80;

/** A value as a table has room for it. */
export function Shown({ column, row }: { column: Value; row: Row }): JSX.Element {
  const value = row[column.member];
  if (value === undefined)
    return (
      <span class="unseen" title="not for this caller">
        not shown
      </span>
    );
  if (value === null) return <span class="null">–</span>;
  const behind = column.relation == null ? undefined : row[column.relation];
  if (column.refersTo !== undefined) {
    const target = modelOf(service.value!, column.refersTo);
    const text = typeof behind === 'object' && behind !== null ? labelOf(target, behind as Row) : shortKey(value);
    return <span class="reference">{text}</span>;
  }
  if (typeof value === 'boolean') return <span>{value ? 'yes' : 'no'}</span>;
  const text = column.of === 'key' ? shortKey(value) : textOf(value);
  return (
    <span title={text.length > LONGEST ? text : undefined}>
      {text.length > LONGEST ? `${text.slice(0, LONGEST)}…` : text}
    </span>
  );
}

function Empty({ of }: { of: Model }): JSX.Element {
  if (isLoading.value) return <p class="empty">Loading …</p>;
  if (list.value?.entry?.answer.status === 400) return <p class="empty">Mend the filter, and press Enter.</p>;
  return (
    <div class="empty">
      <p>
        {look.value.filter === ''
          ? `There are no ${of.plural} that ${nameOf(eyes.value)} may see.`
          : `No ${of.name} that ${nameOf(eyes.value)} may see fits the filter.`}
      </p>
      {look.value.filter === '' ? null : (
        <button type="button" onClick={() => lookAt({ filter: '' })}>
          Take the filter away
        </button>
      )}
    </div>
  );
}

function Refused({ of }: { of: Model }): JSX.Element {
  const status = list.value?.entry?.answer.status;
  return (
    <div class="empty refused">
      <p>
        <b>{status}</b> {list.value?.refusal}
      </p>
      <p class="quiet">
        {status === 401 || status === 403
          ? `${eyes.value === null ? 'Who has not signed in' : nameOf(eyes.value)} may not list ${of.plural}: ` +
            'look as somebody else at the top, or see “Who may what”.'
          : 'The running record at the right has the whole answer.'}
      </p>
    </div>
  );
}

function Pages(): JSX.Element | null {
  const seen = list.value;
  if (seen === undefined || (seen.rows.length === 0 && seen.prev === null)) return null;
  const count = seen.total === undefined ? `${seen.rows.length} shown` : `${seen.rows.length} of ${seen.total}`;
  return (
    <div class="pages">
      <button type="button" disabled={seen.prev === null} onClick={() => void loadList(seen.prev!)}>
        ← Before
      </button>
      <button type="button" disabled={seen.next === null} onClick={() => void loadList(seen.next!)}>
        After →
      </button>
      <span role="status">{count}</span>
      {isLoading.value ? <span class="quiet">loading …</span> : null}
    </div>
  );
}
