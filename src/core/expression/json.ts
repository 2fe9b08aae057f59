import { own } from '../text/own.ts';
import { ExpressionError, LIMITS } from './syntax.ts';
import type { Syntax } from './syntax.ts';
import { plainDigits, writtenNumber } from '../text/exact-number.ts';

/** An expression in the JSON encoding of CQL2. */
export function toJson(syntax: Syntax): unknown {
  switch (syntax.kind) {
    case 'text':
    case 'boolean':
      return syntax.value;
    case 'number':
      return Number(syntax.written);
    case 'date':
    case 'timestamp':
      return { [syntax.kind]: syntax.value };
    case 'interval':
      return { interval: syntax.ends.map(toJson) };
    case 'list':
      return syntax.items.map(toJson);
    case 'property':
      return { property: syntax.path.join('.') };
    case 'call':
      return { op: syntax.op, args: syntax.args.map(toJson) };
  }
}

/** Operators with a fixed or a least number of arguments. */
const ARITY: Readonly<Record<string, readonly [number, number]>> = {
  and: [2, LIMITS.terms],
  or: [2, LIMITS.terms],
  not: [1, 1],
  isNull: [1, 1],
  like: [2, 2],
  between: [3, 3],
  in: [2, 2],
  '=': [2, 2],
  '<>': [2, 2],
  '<': [2, 2],
  '>': [2, 2],
  '<=': [2, 2],
  '>=': [2, 2],
  '+': [2, 2],
  '-': [2, 2],
  '*': [2, 2],
  '/': [2, 2],
  '%': [2, 2],
  div: [2, 2],
  '^': [2, 2],
};

/** Reads the JSON encoding of CQL2, parsed. Throws `ExpressionError` with a JSON Pointer to what is wrong. */
export function fromJson(value: unknown): Syntax {
  let terms = 0;
  return read(value, '', 0);

  function fail(message: string, remedy: string, pointer: string, code: 'syntax' | 'too-large' = 'syntax'): never {
    throw new ExpressionError(code, message, remedy, { pointer });
  }

  function read(value: unknown, pointer: string, depth: number): Syntax {
    terms += 1;
    if (terms > LIMITS.terms) {
      fail(`this expression has more than ${LIMITS.terms} terms`, 'make it shorter', pointer, 'too-large');
    }
    if (depth > LIMITS.depth) {
      fail(`this expression is nested more than ${LIMITS.depth} deep`, 'nest it less', pointer, 'too-large');
    }
    const spot = { pointer };
    const exact = writtenNumber(value);
    if (exact !== undefined) return { kind: 'number', written: plainDigits(exact) ?? exact, spot };
    if (typeof value === 'string') return { kind: 'text', value, spot };
    if (typeof value === 'boolean') return { kind: 'boolean', value, spot };
    if (typeof value === 'number') return { kind: 'number', written: written(value), spot };
    if (value === null) return fail('null can not be compared with', 'write {"op": "isNull", "args": […]}', pointer);
    const each = (items: readonly unknown[], inside: string): Syntax[] =>
      items.map((item, index) => read(item, `${inside}/${index}`, depth + 1));
    if (Array.isArray(value)) return { kind: 'list', items: each(value, pointer), spot };
    return readObject(value as Record<string, unknown>, pointer, each);
  }

  function readObject(
    value: Record<string, unknown>,
    pointer: string,
    each: (items: readonly unknown[], inside: string) => Syntax[],
  ): Syntax {
    const spot = { pointer };
    const keys = Object.keys(value).sort().join();
    if (keys === 'property' && typeof value.property === 'string') {
      return { kind: 'property', path: value.property.split('.'), spot };
    }
    for (const kind of ['date', 'timestamp'] as const) {
      const inside = value[kind];
      if (keys === kind && typeof inside === 'string') return { kind, value: inside, spot };
    }
    if (keys === 'interval' && Array.isArray(value.interval) && value.interval.length === 2) {
      const [from, to] = each(value.interval, `${pointer}/interval`);
      return { kind: 'interval', ends: [from!, to!], spot };
    }
    if (keys !== 'args,op' || typeof value.op !== 'string' || !Array.isArray(value.args)) {
      return fail(
        'this object is no part of an expression',
        'it has either op and args, or one of property, date, timestamp and interval',
        pointer,
      );
    }
    const op = value.op.toLowerCase() === 'isnull' ? 'isNull' : value.op.toLowerCase();
    const [least, most] = own(ARITY, op) ?? [0, LIMITS.terms];
    if (value.args.length < least || value.args.length > most) {
      const wanted = least === most ? String(least) : `${least} or more`;
      fail(`${op} takes ${wanted} arguments, got ${value.args.length}`, 'give it that many', `${pointer}/args`);
    }
    if (op === 'in' && !(Array.isArray(value.args[1]) && value.args[1].length > 0)) {
      fail('in needs a list that is not empty', 'give it an array as its second argument', `${pointer}/args/1`);
    }
    return { kind: 'call', op, args: each(value.args, `${pointer}/args`), spot };
  }
}

/** A number as the text encoding writes it: without an exponent where it has an exact plain form. */
function written(value: number): string {
  const text = String(value);
  return Object.is(value, -0) ? '0' : text.replace('e+', 'e');
}
