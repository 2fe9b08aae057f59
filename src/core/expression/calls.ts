import { VERIFIED } from '../model/access.ts';
import { kindOf, plain } from '../model/expression.ts';
import type { Aggregate, Expression, List, ListOperator, TextFunction, ValueKind } from '../model/expression.ts';
import { didYouMean } from '../text/nearest.ts';
import { own } from '../text/own.ts';
import { arity, wrongType } from './call-typer.ts';
import type { CallTyper, Typer } from './call-typer.ts';
import { asKind, commonKind, describeKind, openedAs } from './kinds.ts';
import { lifted } from './lift.ts';
import type { NameScope } from './name-scope.ts';
import { eachOf, resolveMany } from './property.ts';
import { ExpressionError } from './syntax.ts';
import type { Call, Syntax } from './syntax.ts';
import { add, between, part, times } from './time-calls.ts';

const BOOLEAN = plain('boolean');

/** How to type a call of a function; undefined where there is none of that name. */
export const callTyper = (name: string): CallTyper | undefined => own(typers, name);

const ofText =
  (op: TextFunction | 'length'): CallTyper =>
  (call, scope, { typed, textual }) => {
    arity(call, 1);
    if (op !== 'length' && scope.withoutLetters === true) {
      const message = `${op} needs a table of the tool's own, which the database doesn't have`;
      throw new ExpressionError('unknown-function', message, 'vantfell migrate own makes it', call.spot);
    }
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

const verified: CallTyper = (call, scope) => {
  arity(call, 0);
  if (scope.caller?.proves !== true) {
    const remedy = 'declare codes that prove addresses: identity: { codes: { verify: 24h } }';
    throw wrongType('nobody proves an address to this service', remedy, call);
  }
  return { op: 'has-role', role: VERIFIED, type: BOOLEAN };
};

/** What stands in JSON, as a number or a text; a value that counts is a number as well. */
const opening =
  (kind: 'number' | 'text'): CallTyper =>
  (call, scope, { typed }) => {
    arity(call, 1);
    const [written] = call.args as [Syntax];
    const of = typed(written, scope);
    if (of.type.kind === 'json') return openedAs(of, kind);
    if (of.type.kind === kind) return of;
    if (kind === 'number' && ['integer', 'decimal'].includes(of.type.kind))
      return asKind(of, plain('number'), written.spot);
    const message = `${kind} can not take ${describeKind(of.type)}`;
    throw wrongType(message, 'give it what stands in JSON', written);
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

/** The records behind the first argument, or those of them for which the second is true. */
function someOf(call: Call, scope: NameScope, { condition }: Typer): ReturnType<typeof resolveMany> {
  arity(call, 1, 2);
  const [of, where] = call.args as [Syntax, Syntax?];
  const found = of.kind === 'property' ? resolveMany(of, scope) : undefined;
  if (found === undefined || where === undefined) return found;
  return { ...found, many: { ...found.many, where: lifted(condition(where, eachOf(found, scope, where))) } };
}

function notMany(message: string, remedy: string, { args }: Call, { each }: NameScope): Error {
  const [of] = args as [Syntax];
  const isOfEach = of.kind === 'property' && each?.path.every((name, at) => name === of.path[at]) === true;
  const path = each?.path.join('.');
  return wrongType(message, isOfEach ? `here \`${path}\` is one record: name many of it` : remedy, of);
}

const ofRecords =
  (op: 'count' | 'exists'): CallTyper =>
  (call, scope, typer) => {
    const found = someOf(call, scope, typer);
    if (found === undefined) throw notMany(`${op} takes a relation to many`, `write ${op}(nights)`, call, scope);
    return { op, many: found.many, type: op === 'count' ? plain('integer') : BOOLEAN };
  };

const aggregate =
  (op: Aggregate): CallTyper =>
  (call, scope, typer) => {
    const found = someOf(call, scope, typer);
    const of = call.args[0]!;
    if (found?.value === undefined) {
      throw notMany(`${op} takes a field of a relation to many`, `write ${op}(nights.price)`, call, scope);
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
  verified,
  add,
  days_between: between('days-between'),
  seconds_between: between('seconds-between'),
  year: part('year'),
  month: part('month'),
  weekday: part('weekday'),
  coalesce,
  number: opening('number'),
  text: opening('text'),
  count: ofRecords('count'),
  exists: ofRecords('exists'),
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
