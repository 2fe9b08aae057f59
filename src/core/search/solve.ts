import { isSame } from '../model/value.ts';
import type { FieldValue } from '../model/scalar.ts';
import { candidatesFor, comparedBy } from './candidates.ts';
import type { Place } from './candidates.ts';
import type { Constraint, Draft } from './constraints.ts';
import type { Row } from './records.ts';
import type { Surroundings } from './related.ts';

/** More values for a member: those that keep its own rules, or the keys of records that a relation may lead to. */
export type MoreValues = (place: Place) => readonly FieldValue[];

/** How often a value is changed before it is given up. */
const MOST_REPAIRS = 40;
/** Values that are tried for a place at once. */
const MOST_CANDIDATES = 60;

/**
 * Changes drafts until they keep everything, one value after the other: that of a broken constraint which leaves the
 * fewest broken. Returns what is still broken where none was found: it stands in the way.
 */
export function solve(
  around: Surroundings,
  drafts: readonly Draft[],
  constraints: readonly Constraint[],
  more: MoreValues,
): Constraint | undefined {
  const draftOf = (row: Row): Draft | undefined => drafts.find(({ values }) => values === row);
  const brokenOnes = (): Constraint[] => constraints.filter((one) => one.isBroken());
  const tried = new Set<string>();
  let broken = brokenOnes();
  for (let repairs = 0; broken.length > 0 && repairs < MOST_REPAIRS; repairs += 1) {
    const move = bestMove(broken[repairs % broken.length]!);
    if (move === undefined) return broken[0];
    set(move.place, move.value);
    tried.add(nameOf(move.place, move.value));
    broken = brokenOnes();
  }
  return broken[0];

  function bestMove(constraint: Constraint): { place: Place; value: FieldValue } | undefined {
    const compared = comparedBy(around, constraint, draftOf);
    let best: { place: Place; value: FieldValue; left: number } | undefined;
    for (const place of compared.places) {
      const before = place.draft.values[place.field.member] ?? null;
      const values = [...candidatesFor(place, compared), ...more(place)].slice(0, MOST_CANDIDATES);
      for (const value of values) {
        if (isSame(value, before) || tried.has(nameOf(place, value))) continue;
        set(place, value);
        // What still breaks this one is worth less than what breaks another.
        const left = brokenOnes().length + (constraint.isBroken() ? 0.5 : 0);
        if (best === undefined || left < best.left) best = { place, value, left };
        if (left === 0) break;
      }
      set(place, before);
      if (best?.left === 0) break;
    }
    return best;
  }
}

const nameOf = ({ draft, field }: Place, value: FieldValue): string =>
  `${draft.model.name} ${field.member} ${JSON.stringify(value)}`;

/** The draft's row stays the same object: others are compared with it. */
function set({ draft, field }: Place, value: FieldValue): void {
  draft.values[field.member] = value;
}
