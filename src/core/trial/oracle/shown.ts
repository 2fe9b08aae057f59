import type { Model } from '../../model/model.ts';
import { linkedOf } from '../../model/related.ts';
import type { Fault } from '../answer.ts';
import { faultOf } from '../judge.ts';
import { ITSELF } from './grants.ts';
import type { Oracle, Who } from './grants.ts';
import type { Row } from './world-state.ts';

/** What a record shows to somebody in its default view other than it should. */
export function shownFaults(oracle: Oracle, model: Model, shown: Row, row: Row, who: Who): Fault[] {
  const view = model.views.get('default')!;
  const plain = new Set(view.filter(({ inside }) => inside === undefined).map(({ name }) => name));
  const faults: Fault[] = [];
  const stored = [...model.shown, ...linkedOf(model)].filter(({ member }) => plain.has(member));
  for (const { member } of stored) {
    const wanted = oracle.seen(model, member, row, who);
    if (!isAlike(wanted, shown[member])) faults.push(faultOf(`data.${member}`, wanted, shown[member]));
  }
  for (const { member, value, type } of model.computed) {
    if (!plain.has(member)) continue;
    if (!oracle.sees(model, member, row, who)) {
      if (Object.hasOwn(shown, member)) faults.push(faultOf(`data.${member}`, undefined, shown[member]));
    } else if (!Object.hasOwn(shown, member)) faults.push(faultOf(`data.${member}`, 'a value', undefined));
    // Others may be shown another value, of what they may read.
    else if (who === ITSELF && type !== 'number') {
      const wanted = oracle.valueOf(value, model, row, who);
      if (!isAlike(wanted, shown[member])) faults.push(faultOf(`data.${member}`, wanted, shown[member]));
    }
  }
  const names = new Set(view.map(({ name }) => name));
  const strange = Object.keys(shown).find((name) => !names.has(name));
  if (strange !== undefined) faults.push(faultOf(`data.${strange}`, undefined, shown[strange]));
  return faults;
}

/** Whether two values are the same, whatever the order of members inside. */
export function isAlike(one: unknown, other: unknown): boolean {
  if (typeof one !== 'object' || one === null || typeof other !== 'object' || other === null) return one === other;
  if (Array.isArray(one) !== Array.isArray(other)) return false;
  const names = Object.keys(one);
  return (
    names.length === Object.keys(other).length &&
    names.every((name) => Object.hasOwn(other, name) && isAlike((one as Row)[name], (other as Row)[name]))
  );
}
