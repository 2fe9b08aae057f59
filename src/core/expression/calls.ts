import { kindOf, plain } from '../model/expression.ts';
import type { Aggregate, Expression, List, ListOperator, TextFunction, ValueKind } from '../model/expression.ts';
import { didYouMean } from '../text/nearest.ts';
import { own } from '../text/own.ts';
import { asKind, commonKind, constantOf, describeKind } from './kinds.ts';
import type { NameScope } from './name-scope.ts';
import { resolveMany } from './property.ts';
import { ExpressionError } from './syntax.ts';
import type { Call, Syntax } from './syntax.ts';

/** What typing a call needs from typing other expressions. */
interface Typer {
  typed(syntax: Syntax, scope: NameScope): Expression;
  textual(written: Syntax, value: Expression): Expression;
  together(
    written: readonly Syntax[],
    values: readonly Expression[],
    scope: NameScope,
    how: 'equal' | 'ordered' | 'any',
  ): Expression[];
}

type CallTyper = (call: Call, scope: NameScope, typer: Typer) => Expression;

const BOOLEAN = plain('boolean');

/** How to type a call of a function; undefined where there is none of that name. */
export const callTyper = (name: string): CallTyper | undefined => own(typers, name);

const arity = (call: Call, least: number, most = least): void => {
  const { op, args, spot } = call;
  if (args.length >= least && args.length <= most) return;
  const wanted =
    least === most
      ? least === 0
        ? 'no value'
        : least === 1
          ? 'one value'
          : `${least} values`
      : `${least} values or more`;
  const message = `${op}(${least === 0 ? '' : '…'}) takes ${wanted}, got ${args.length}`;
  throw new ExpressionError('syntax', message, least === 0 ? `write ${op}()` : `give it ${wanted}`, spot);
};

const wrongType = (message: string, remedy: string, syntax: Syntax): ExpressionError =>
  new ExpressionError('wrong-type', message, remedy, syntax.spot);

const ofText =
  (op: TextFunction | 'length'): CallTyper =>
  (call, scope, { typed, textual }) => {
    arity(call, 1);
    const of = textual(call.args[0]!, typed(call.args[0]!, scope));
    return { op, of, type: op === 'length' ? plain('integer') : plain('text') };
  };

const runtime =
  (op: 'now' | 'today'): CallTyper =>
  (call) => {
    arity(call, 0);
    return { op, type: plain(op === 'now' ? 'date-time' : 'date') };
  };

const me: CallTyper = (call, scope) => {
  arity(call, 0);
  if (scope.caller === undefined) throw wrongType('nobody signs in to this service', 'declare an identity', call);
  return { op: 'me', type: kindOf(scope.caller.key) };
};

const hasRole: CallTyper = (call, scope) => {
  arity(call, 1);
  const role = call.args[0]!;
  if (role.kind !== 'text')
    throw wrongType('has_role takes a text in single quotes', "write has_role('steward')", role);
  if (scope.caller === undefined) throw wrongType('nobody signs in to this service', 'declare an identity', call);
  const roles = scope.caller.roles;
  if (roles !== undefined && !roles.includes(role.value)) {
    throw wrongType(`there is no role ${role.value}`, didYouMean(role.value, roles), role);
  }
  return { op: 'has-role', role: role.value, type: BOOLEAN };
};

const coalesce: CallTyper = (call, scope, { typed, together }) => {
  arity(call, 1, Infinity);
  const args = together(
    call.args,
    call.args.map((arg) => typed(arg, scope)),
    scope,
    'any',
  );
  const { words: _words, ...type } = args[0]!.type;
  if (type.kind === 'array' || type.kind === 'json') {
    throw wrongType(`coalesce can not take ${describeKind(type)}`, 'give it single values', call);
  }
  return { op: 'coalesce', args, type };
};

const count: CallTyper = (call, scope) => {
  arity(call, 1);
  const [of] = call.args as [Syntax];
  const found = of.kind === 'property' ? resolveMany(of, scope) : undefined;
  if (found === undefined) throw wrongType('count takes a relation to many', 'write count(nights)', of);
  return { op: 'count', many: found.many, type: plain('integer') };
};

const aggregate =
  (op: Aggregate): CallTyper =>
  (call, scope) => {
    arity(call, 1);
    const [of] = call.args as [Syntax];
    const found = of.kind === 'property' ? resolveMany(of, scope) : undefined;
    if (found?.value === undefined) {
      throw wrongType(`${op} takes a field of a relation to many`, `write ${op}(nights.price)`, of);
    }
    const { words: _words, ...type } = found.value.type;
    const counted = ['integer', 'decimal', 'number'].includes(type.kind);
    const ordered = counted || ['text', 'date', 'time', 'date-time'].includes(type.kind);
    if (!(op === 'min' || op === 'max' ? ordered : counted)) {
      throw wrongType(`${op} can not take ${describeKind(type)}`, 'give it numbers', of);
    }
    if (op !== 'avg') return { op, many: found.many, value: found.value, type };
    const number = plain('number');
    return { op, many: found.many, value: asKind(found.value, number, of.spot), type: number };
  };

/** The two sides of an array operator hold values of one kind. */
const lists =
  (op: ListOperator): CallTyper =>
  (call, scope, typer) => {
    arity(call, 2);
    const [one, other] = call.args as [Syntax, Syntax];
    const [left, right] = [listOf(one, scope, typer), listOf(other, scope, typer)];
    const sample = (list: List): Expression =>
      list.kind === 'constants' ? list.values[0]! : { op: 'now', type: list.items };
    if (isEmpty(left) || isEmpty(right)) {
      const items = isEmpty(left) ? right.items : left.items;
      return { op, left: { ...left, items }, right: { ...right, items }, type: BOOLEAN };
    }
    const items = commonKind(left.items, sample(right), sample(left), other.spot, one);
    return { op, left: listAs(left, items, one), right: listAs(right, items, other), type: BOOLEAN };
  };

const isEmpty = (list: List): boolean => list.kind === 'constants' && list.values.length === 0;

function listOf(syntax: Syntax, scope: NameScope, { typed, together }: Typer): List {
  if (syntax.kind === 'list' || syntax.kind !== 'property') {
    const items = syntax.kind === 'list' ? syntax.items : [syntax];
    const values = together(
      items.length === 0 ? [syntax] : items,
      items.length === 0 ? [empty] : items.map((item) => typed(item, scope)),
      scope,
      'equal',
    );
    return { kind: 'constants', values: items.length === 0 ? [] : values, items: values[0]!.type };
  }
  const many = resolveMany(syntax, scope);
  if (many !== undefined) {
    if (many.value === undefined) {
      throw wrongType(
        'this names records, not values',
        `name one of their members, as ${syntax.path.join('.')}.id`,
        syntax,
      );
    }
    return { kind: 'many', many: many.many, value: many.value, items: many.value.type };
  }
  const of = typed(syntax, scope);
  if (of.type.kind !== 'array')
    throw wrongType(`this is ${describeKind(of.type)}, where a list is needed`, "write a list as ('a', 'b')", syntax);
  const items = of.type.items;
  if (items === undefined || items.kind === 'array' || items.kind === 'json') {
    throw wrongType('the items of this list are not single values', 'lists of single values can be asked for', syntax);
  }
  return { kind: 'array', of, items };
}

const empty: Expression = { op: 'constant', value: '', type: plain('text') };

function listAs(list: List, items: ValueKind, written: Syntax): List {
  if (list.kind === 'array') {
    if (list.items.kind === items.kind && list.items.scale === items.scale) return list;
    throw wrongType(`the items of this list are ${describeKind(list.items)}`, 'write values of that kind', written);
  }
  if (list.kind === 'many') return { ...list, value: asKind(list.value, items, written.spot), items };
  return { ...list, values: list.values.map((value) => asKind(value, items, written.spot)), items };
}

/** The predicates of time: an instant against an instant or an interval without its ends. */
const times =
  (op: 't_after' | 't_before' | 't_equals' | 't_during'): CallTyper =>
  (call, scope, { typed, together }) => {
    arity(call, 2);
    const [instant, against] = call.args as [Syntax, Syntax];
    const compared = (sign: '=' | '<' | '>', other: Syntax): Expression => {
      const sides = [instant, other].map((side) => dated(side, typed(side, scope)));
      const [left, right] = together([instant, other], sides, scope, 'ordered') as [Expression, Expression];
      if (!isInstant(left)) throw wrongType(`${call.op} takes dates and times`, 'name a date here', instant);
      return { op: sign, left, right, type: BOOLEAN };
    };
    if (op === 't_during') {
      if (against.kind !== 'interval') {
        throw wrongType('T_DURING needs an interval', "write INTERVAL('2026-06-01', '2026-07-01')", against);
      }
      const [from, to] = against.ends;
      const ends = [...(isOpen(from) ? [] : [compared('>', from)]), ...(isOpen(to) ? [] : [compared('<', to)])];
      if (ends.length === 0) throw wrongType('this interval has no end at all', 'give it one', against);
      return ends.length === 1 ? ends[0]! : { op: 'and', args: ends, type: BOOLEAN };
    }
    if (against.kind !== 'interval') return compared(op === 't_after' ? '>' : op === 't_before' ? '<' : '=', against);
    const end = against.ends[op === 't_after' ? 1 : 0];
    if (op === 't_equals' || isOpen(end)) {
      throw wrongType('this can never be true', 'write one instant, or another interval', against);
    }
    return compared(op === 't_after' ? '>' : '<', end);
  };

const isOpen = (end: Syntax): boolean => end.kind === 'text' && end.value === '..';

const isInstant = ({ type }: Expression): boolean => type.kind === 'date' || type.kind === 'date-time';

/** The form of a text decides which kind of instant it is. */
function dated(syntax: Syntax, value: Expression): Expression {
  if (syntax.kind !== 'text') return value;
  const kind = /^\d{4}-\d\d-\d\d$/.test(syntax.value) ? 'date' : 'timestamp';
  return constantOf({ kind, value: syntax.value, spot: syntax.spot });
}

const typers: Readonly<Record<string, CallTyper>> = {
  casei: ofText('casei'),
  accenti: ofText('accenti'),
  lower: ofText('lower'),
  upper: ofText('upper'),
  length: ofText('length'),
  now: runtime('now'),
  today: runtime('today'),
  me,
  has_role: hasRole,
  coalesce,
  count,
  sum: aggregate('sum'),
  min: aggregate('min'),
  max: aggregate('max'),
  avg: aggregate('avg'),
  a_contains: lists('contains'),
  a_containedby: lists('contained-by'),
  a_overlaps: lists('overlaps'),
  a_equals: lists('equals'),
  t_after: times('t_after'),
  t_before: times('t_before'),
  t_equals: times('t_equals'),
  t_during: times('t_during'),
};

export const functionNames: readonly string[] = [...Object.keys(typers), 'date', 'timestamp', 'interval'];
