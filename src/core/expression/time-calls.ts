import { plain } from '../model/expression.ts';
import type { CalendarPart, Expression } from '../model/expression.ts';
import { isEndless, readDuration } from './calendar.ts';
import { arity, wrongType } from './call-typer.ts';
import type { CallTyper, Typer } from './call-typer.ts';
import { asKind, constantOf, describeKind } from './kinds.ts';
import type { NameScope } from './name-scope.ts';
import type { Syntax } from './syntax.ts';

const BOOLEAN = plain('boolean');

/** The predicates of time: an instant against an instant or an interval without its ends. */
export const times =
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

/** A date, or a date and time; a text is read as what its form says. */
function instantOf(written: Syntax, scope: NameScope, { typed }: Typer, op: string): Expression {
  const value = dated(written, typed(written, scope));
  if (isInstant(value)) return value;
  throw wrongType(`${op} takes dates and times, and this is ${describeKind(value.type)}`, 'name a date here', written);
}

export const add: CallTyper = (call, scope, typer) => {
  arity(call, 2);
  const [written, by] = call.args as [Syntax, Syntax];
  const of = instantOf(written, scope, typer, 'add');
  const duration = by.kind === 'text' ? readDuration(by.value) : undefined;
  const forms = "write one as 'P14D', 'P1Y6M' or '-PT2H30M'";
  if (duration === undefined) throw wrongType('this is no duration of ISO 8601 in single quotes', forms, by);
  if (isEndless(duration)) throw wrongType('this duration has more than 10000 years', 'write a shorter one', by);
  if (of.type.kind === 'date' && duration.milliseconds !== 0) {
    const remedy = 'write days, weeks, months or years; or add to a date and time';
    throw wrongType('a date has no time of day', remedy, by);
  }
  return { op: 'add', of, duration, type: plain(of.type.kind) };
};

export const part =
  (op: CalendarPart): CallTyper =>
  (call, scope, typer) => {
    arity(call, 1);
    return { op, of: instantOf(call.args[0]!, scope, typer, op), type: plain('integer') };
  };

const SECOND_DIGITS = 3;

export const between =
  (op: 'days-between' | 'seconds-between'): CallTyper =>
  (call, scope, typer) => {
    arity(call, 2);
    const [left, right] = call.args.map((side) => {
      const value = instantOf(side, scope, typer, call.op);
      return op === 'days-between' ? value : asKind(value, plain('date-time'), side.spot);
    }) as [Expression, Expression];
    return { op, left, right, type: op === 'days-between' ? plain('integer') : plain('decimal', SECOND_DIGITS) };
  };

const isOpen = (end: Syntax): boolean => end.kind === 'text' && end.value === '..';

const isInstant = ({ type }: Expression): boolean => type.kind === 'date' || type.kind === 'date-time';

/** The form of a text decides which kind of instant it is. */
function dated(syntax: Syntax, value: Expression): Expression {
  if (syntax.kind !== 'text') return value;
  const kind = /^\d{4}-\d\d-\d\d$/.test(syntax.value) ? 'date' : 'timestamp';
  return constantOf({ kind, value: syntax.value, spot: syntax.spot });
}
