import type { Field } from '../../model/field.ts';
import type { Model } from '../../model/model.ts';
import { isSame } from '../../model/value.ts';
import type { Values } from './read-body.ts';
import type { WorldState } from './world-state.ts';

const USUAL_LENGTH = 60;

/**
 * Fills the slugs of a new record that has none, as far as they can be predicted: of letters other than ASCII ones and
 * of numbers behind a slug that is taken, the answer has the last word (`isSlugOf`).
 */
export function fillSlugs(
  state: Pick<WorldState, 'allOf'>,
  model: Model,
  values: Values,
  made: ReadonlySet<string>,
): void {
  for (const field of model.fields) {
    if (field.derivedFrom === undefined) continue;
    // A text that was worked out stands in the place of its slug.
    const isMade = made.has(field.member);
    const source = values[isMade ? field.member : field.derivedFrom];
    if (typeof source !== 'string' || (!isMade && (values[field.member] ?? null) !== null)) continue;
    const set = field === model.key ? [field] : model.unique.find((one) => one.includes(field));
    const others = set?.filter((other) => other !== field) ?? [];
    const isTaken = (slug: string): boolean =>
      set !== undefined &&
      others.every(({ member }) => (values[member] ?? null) !== null) &&
      state
        .allOf(model.name)
        .some((row) => row[field.member] === slug && others.every(({ member }) => isSame(row[member], values[member])));
    let n = 1;
    while (isTaken(slugOf(source, field, n))) n += 1;
    values[field.member] = slugOf(source, field, n);
  }
}

function slugOf(source: string, field: Field, n: number): string {
  const suffix = n === 1 ? '' : `-${n}`;
  const room = (field.rules.maxLength ?? USUAL_LENGTH) - suffix.length;
  const words = source
    .toLowerCase()
    .split(/[^a-z0-9]+/)
    .filter((word) => word !== '')
    .join('-');
  return (words === '' ? 'untitled' : words).slice(0, room).replace(/-+$/, '') + suffix;
}

/** Whether a slug may be another one than was predicted. */
export function isSlugOf(model: Model, member: string, given: unknown, wanted: unknown, values: Values): boolean {
  const field = model.byMember.get(member);
  if (field?.derivedFrom === undefined || typeof given !== 'string' || typeof wanted !== 'string') return false;
  const source = values[field.derivedFrom];
  // eslint-disable-next-line no-control-regex
  if (typeof source !== 'string' || /[^\u0000-\u007f]/.test(source)) return /^[a-z0-9]+(-[a-z0-9]+)*$/.test(given);
  const start = (text: string): string => text.replace(/-\d+$/, '');
  return /-\d+$/.test(wanted) && (start(wanted).startsWith(start(given)) || start(given).startsWith(start(wanted)));
}
