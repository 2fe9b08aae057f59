// The top of the page: whose eyes one looks through, and who stands beside them.
import type { JSX } from 'preact';
import { beside, done, eyes, loadList, refresh, room, service, trouble, show } from './state.ts';
import type { Room } from './state.ts';
import type { Person } from './wire.ts';

const ROOMS: readonly (readonly [Room, string])[] = [
  ['records', 'Records'],
  ['map', 'Map'],
  ['access', 'Who may what'],
  ['request', 'Request'],
  ['trials', 'Trials'],
];

const NOBODY = '(nobody)';
const NONE = '(none)';

/** A hue of their own for everybody, so that one always sees whose eyes these are. */
export function hueOf(who: string | null): number {
  if (who === null) return 210;
  let sum = 7;
  for (const letter of who) sum = (sum * 31 + letter.codePointAt(0)!) % 360;
  // The style knows each fifteenth.
  return Math.round(sum / 15) * 15;
}

export const nameOf = (who: string | null): string => (who === null ? 'nobody' : who.split('/').at(-1)!);

export function Chip({ who }: { who: string | null }): JSX.Element {
  return (
    <span class={`chip ${who === null ? 'is-nobody' : ''}`} data-hue={hueOf(who)}>
      {nameOf(who)}
    </span>
  );
}

const aboutOf = ({ who, about, roles }: Person): string =>
  `${who.split('/').at(-1)}${about === '' ? '' : ` · ${about}`}${roles.length === 0 ? '' : ` · ${roles.join(', ')}`}`;

function Switch(props: { label: string; value: string; none?: string; onChange(who: string): void }): JSX.Element {
  const people = service.value?.people ?? [];
  return (
    <label class="switch">
      <span>{props.label}</span>
      <select value={props.value} onChange={(event) => props.onChange(event.currentTarget.value)}>
        {props.none === undefined ? null : <option value={NONE}>{props.none}</option>}
        <option value={NOBODY}>nobody</option>
        {people.map((person) => (
          <option key={person.who} value={person.who}>
            {aboutOf(person)}
          </option>
        ))}
      </select>
    </label>
  );
}

function Eyes(): JSX.Element | null {
  const shown = service.value;
  if (shown === undefined) return null;
  if (shown.identity === null) return <p class="quiet">Nobody signs in to this service: it is open to all.</p>;
  if (!shown.identity.isOurs) return <p class="quiet">Tokens come from elsewhere: here one looks as nobody.</p>;
  return (
    <div class="eyes">
      <Switch
        label="Look as"
        value={eyes.value ?? NOBODY}
        onChange={(who) => {
          eyes.value = who === NOBODY ? null : who;
          void refresh();
        }}
      />
      <Switch
        label="beside"
        none="—"
        value={beside.value === undefined ? NONE : (beside.value ?? NOBODY)}
        onChange={(who) => {
          beside.value = who === NONE ? undefined : who === NOBODY ? null : who;
          void loadList();
        }}
      />
    </div>
  );
}

export function Top(): JSX.Element {
  const shown = service.value;
  return (
    <header class="top">
      <h1>
        {shown?.name ?? 'Console'} <small>{shown === undefined ? '' : `${shown.version} on ${shown.store}`}</small>
      </h1>
      <nav aria-label="Rooms">
        {ROOMS.filter(([name]) => name !== 'trials' || service.value?.isLocal === true).map(([name, text]) => (
          <button
            key={name}
            type="button"
            aria-current={room.value === name ? 'page' : undefined}
            onClick={() => {
              room.value = name;
              if (name !== 'records') show(undefined);
            }}
          >
            {text}
          </button>
        ))}
      </nav>
      <Eyes />
    </header>
  );
}

/** What went wrong with the page itself, and what was done a moment ago. */
export function Notes(): JSX.Element {
  const last = done.value;
  return (
    <div class="notes">
      <div role="alert">{trouble.value === '' ? null : <p class="trouble">{trouble.value}</p>}</div>
      <div role="status">
        {last === undefined ? null : (
          <p class="done">
            {last.text}
            {last.undo === undefined ? null : (
              <button type="button" onClick={() => void last.undo!()}>
                Undo
              </button>
            )}
            <button
              type="button"
              class="plain"
              aria-label="Put this note away"
              onClick={() => (done.value = undefined)}
            >
              ×
            </button>
          </p>
        )}
      </div>
    </div>
  );
}
