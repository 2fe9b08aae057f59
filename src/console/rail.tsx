// The models at the left.
import { signal } from '@preact/signals';
import type { JSX } from 'preact';
import { goTo, modelName, service } from './state.ts';

const wanted = signal('');
const MANY = 12;

export function Rail(): JSX.Element {
  const models = service.value?.models ?? [];
  const found = models.filter(({ name, plural }) => `${name} ${plural}`.includes(wanted.value.trim().toLowerCase()));
  return (
    <nav class="rail" aria-label="Models">
      {models.length <= MANY ? null : (
        <input
          type="search"
          placeholder={`one of ${models.length} models`}
          aria-label="Find a model"
          value={wanted.value}
          onInput={(event) => (wanted.value = event.currentTarget.value)}
        />
      )}
      <ul>
        {found.map(({ name, plural, isIdentity, owner }) => (
          <li key={name}>
            <button
              type="button"
              aria-current={modelName.value === name ? 'true' : undefined}
              onClick={() => goTo(name)}
            >
              <span>{plural}</span>
              {isIdentity ? (
                <em title="those who sign in">sign in</em>
              ) : owner === null ? null : (
                <i title={`owner: ${owner}`} />
              )}
            </button>
          </li>
        ))}
      </ul>
      {found.length === 0 && models.length > 0 ? <p class="quiet">No model is called so.</p> : null}
      {models.some(({ owner }) => owner !== null) ? (
        <p class="legend">
          <i /> its records have an owner
        </p>
      ) : null}
    </nav>
  );
}
