import { isReadByAll } from '../access/open.ts';
import type { Grant, Verb } from '../model/access.ts';
import type { Model } from '../model/model.ts';
import { isSettable } from '../rules/schema.ts';
import type { Fault } from './answer.ts';
import type { Body } from './case.ts';
import { faultOf } from './judge.ts';
import { shownFaults } from './oracle/shown.ts';
import type { Row } from './oracle/world-state.ts';
import type { Person, World } from './world.ts';

/** What `may` says is answered, worked out from the sample data. */
export interface Expectations {
  readable(model: Model, who: Person): Row[];
  /** 401 or 403 for what such a caller can never do; undefined where it depends. */
  barred(model: Model, verb: Verb, who: Person): number | undefined;
  /** What is answered to somebody who wants to do something with a record, where nothing else is wrong. */
  expected(model: Model, verb: Verb, row: Row, who: Person): number;
  operation(model: Model, grants: readonly Grant[], row: Row | undefined, who: Person): number;
  /** Members that a record shows to somebody other than it should. */
  memberFaults(model: Model, shown: Row, row: Row | undefined, who: Person): Fault[];
  /** What could be sent to make a record like this one. */
  bodyLike(model: Model, row: Row): Body;
}

export function expectations({ graph, oracle, rowsOf }: Pick<World, 'graph' | 'oracle' | 'rowsOf'>): Expectations {
  const isStranger = ({ caller }: Person): boolean => caller === null && graph.identity !== undefined;

  const helps = (model: Model, grants: readonly Grant[], { caller }: Person): boolean =>
    oracle.helps(grants, model, caller);
  const barred: Expectations['barred'] = (model, verb, who) =>
    oracle.could(model.access.verbs[verb], model, who.caller) ? undefined : isStranger(who) ? 401 : 403;

  const expected: Expectations['expected'] = (model, verb, row, who) => {
    const bar = barred(model, verb, who);
    if (bar !== undefined) return bar;
    if (!oracle.may(model, 'read', row, who.caller)) {
      return !isReadByAll(model) && helps(model, model.access.verbs.read, who) ? 401 : 404;
    }
    if (oracle.may(model, verb, row, who.caller)) return 200;
    return helps(model, model.access.verbs[verb], who) ? 401 : 403;
  };

  return {
    barred,
    expected,
    readable: (model, { caller }) => rowsOf(model).filter((row) => oracle.may(model, 'read', row, caller)),
    operation(model, grants, row, who) {
      if (!oracle.could(grants, model, who.caller)) return isStranger(who) ? 401 : 403;
      if (row === undefined) return 200;
      const read = expected(model, 'read', row, who);
      if (read !== 200) return read === 403 ? 404 : read;
      return oracle.holds(grants, model, row, who.caller) ? 200 : helps(model, grants, who) ? 401 : 403;
    },
    memberFaults: (model, shown, row, { caller }) =>
      row === undefined
        ? [faultOf('a record', 'one that is for them', shown)]
        : shownFaults(oracle, model, shown, row, caller),
    bodyLike: (model, row) =>
      Object.fromEntries(
        Object.entries(row).filter(([member]) => {
          const field = model.byMember.get(member);
          return field === undefined || (isSettable(field, 'replace') && !model.access.set.has(member));
        }),
      ),
  };
}
