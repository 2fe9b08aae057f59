import { evaluate } from '../expression/evaluate.ts';
import type { FieldValue, Model } from '../model/graph.ts';
import { isKept } from './case.ts';
import type { Body } from './case.ts';

/**
 * Whether a body that keeps the rules of each field keeps those across them too, as far as its own values tell. Keys of
 * records that are yet to be made stand for themselves: no two are the same.
 */
export function keepsRules(model: Model, body: Body, now: Date): boolean {
  const values = Object.fromEntries(
    model.fields.map(({ member, rules }): [string, FieldValue] => {
      const given = body[member];
      if (isKept(given)) return [member, given.kept];
      return [member, given === undefined ? (rules.default ?? null) : (given as FieldValue)];
    }),
  );
  return model.rules.every(({ check, ownValues }) => !ownValues || evaluate(check, { values, now }) !== false);
}
