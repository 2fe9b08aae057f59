import { COMPARISONS, plain } from '../model/expression.ts';
import type { Arithmetic, Comparison, Expression, PatternPart, ValueKind } from '../model/expression.ts';
import { didYouMean } from '../text/nearest.ts';
import { callTyper, functionNames } from './calls.ts';
import { asKind, asOperand, commonKind, constantOf, describeKind, openedAs, openedBeside, SAY_WHAT } from './kinds.ts';
import type { NameScope } from './name-scope.ts';
import { resolveProperty } from './property.ts';
import { ExpressionError, LIMITS } from './syntax.ts';
import type { Call, Syntax } from './syntax.ts';

const BOOLEAN = plain('boolean');

/**
 * Resolves every name of an expression over the records of `scope.model`, and types every value. Throws
 * `ExpressionError` for unknown names and types that do not fit.
 */
export function typed(syntax: Syntax, scope: NameScope): Expression {
  switch (syntax.kind) {
    case 'text':
    case 'number':
    case 'boolean':
    case 'date':
    case 'timestamp':
      return constantOf(syntax);
    case 'interval':
      throw new ExpressionError(
        'wrong-type',
        'an interval stands beside T_DURING, T_AFTER and T_BEFORE alone',
        'compare its two ends, or write T_DURING(opens_on, INTERVAL(…))',
        syntax.spot,
      );
    case 'list':
      throw new ExpressionError(
        'wrong-type',
        'a list can not stand here',
        'lists go with IN and with A_CONTAINS, A_CONTAINEDBY, A_OVERLAPS, A_EQUALS',
        syntax.spot,
      );
    case 'property':
      return resolveProperty(syntax, scope);
    case 'call':
      return typedCall(syntax, scope);
  }
}

/** An expression that must be true or false. */
export function typedCondition(syntax: Syntax, scope: NameScope): Expression {
  const expression = typed(syntax, scope);
  if (expression.type.kind === 'boolean') return expression;
  const what = describeKind(expression.type);
  const message = `this is ${what}, where a condition is needed`;
  throw new ExpressionError('wrong-type', message, 'compare it with something', syntax.spot);
}

function typedCall(call: Call, scope: NameScope): Expression {
  const { op, args, spot } = call;
  const arg = (at: number): Expression => typed(args[at]!, scope);
  if ((COMPARISONS as readonly string[]).includes(op)) return comparison(call, op as Comparison, scope);
  switch (op) {
    case 'and':
    case 'or':
      return { op, args: args.map((each) => typedCondition(each, scope)), type: BOOLEAN };
    case 'not':
      return { op, of: typedCondition(args[0]!, scope), type: BOOLEAN };
    case 'isNull':
      return { op: 'is-null', of: typed(args[0]!, scope), type: BOOLEAN };
    case 'between': {
      const [of, low, high] = together(args, [arg(0), arg(1), arg(2)], scope, 'ordered');
      return { op, of: of!, low: low!, high: high!, type: BOOLEAN };
    }
    case 'in': {
      const list = args[1]!;
      const items = list.kind === 'list' ? list.items : [list];
      const each = items.map((item) => typed(item, scope));
      const [of, ...among] = together([args[0]!, ...items], [arg(0), ...each], scope, 'equal');
      return { op, of: of!, among, type: BOOLEAN };
    }
    case 'like':
      return { op, of: textual(args[0]!, arg(0)), pattern: patternOf(args[1]!, scope), type: BOOLEAN };
    case '+':
    case '-':
    case '*':
    case '/':
    case '%':
    case 'div':
    case '^':
      return arithmetic(call, op, scope);
  }
  const typer = callTyper(op);
  if (typer !== undefined) return typer(call, scope, { typed, condition: typedCondition, textual, together });
  const message = `there is no function ${op}`;
  throw new ExpressionError('unknown-function', message, didYouMean(op, functionNames), spot);
}

function comparison(call: Call, op: Comparison, scope: NameScope): Expression {
  const how = op === '=' || op === '<>' ? 'equal' : 'ordered';
  const sides = call.args.map((side) => typed(side, scope));
  const [left, right] = together(call.args, sides, scope, how) as [Expression, Expression];
  return { op, left, right, type: BOOLEAN };
}

const NOT_COMPARED: readonly string[] = ['array', 'json'];
const NOT_ORDERED: readonly string[] = ['boolean', 'uuid', ...NOT_COMPARED];

/** Values that are compared with the first: of one kind, each converted to it where it isn't. */
function together(
  written: readonly Syntax[],
  given: readonly Expression[],
  scope: NameScope,
  how: 'equal' | 'ordered' | 'any',
): Expression[] {
  const values = openedBeside(given);
  const common = values.reduce<ValueKind>(
    (kind, value, at) => commonKind(kind, value, values[0]!, written[at]!.spot, written[0]!),
    values[0]!.type,
  );
  const refused = how === 'any' ? [] : how === 'ordered' ? NOT_ORDERED : NOT_COMPARED;
  if (refused.includes(common.kind)) {
    const remedy =
      common.kind === 'array'
        ? 'use A_CONTAINS, A_CONTAINEDBY, A_OVERLAPS or A_EQUALS'
        : how === 'ordered' && common.kind !== 'json'
          ? 'use = or <>'
          : SAY_WHAT;
    const message = `${describeKind(common)} can not be compared like this`;
    throw new ExpressionError('wrong-type', message, remedy, written[0]!.spot);
  }
  const as = how === 'any' ? asOperand : asKind;
  const converted = values.map((value, at) => as(value, common, written[at]!.spot));
  noteStrangeWords(written, values, scope);
  return converted;
}

/** A text that a field with an enum can never have: most likely a typing mistake. */
function noteStrangeWords(written: readonly Syntax[], values: readonly Expression[], scope: NameScope): void {
  const words = values.find((value) => value.type.words !== undefined)?.type.words;
  if (words === undefined || scope.strange === undefined) return;
  values.forEach((value, at) => {
    if (value.op !== 'constant' || typeof value.value !== 'string' || words.includes(value.value)) return;
    scope.strange!(`the value '${value.value}' never occurs here`, didYouMean(value.value, words), written[at]!.spot);
  });
}

function textual(written: Syntax, value: Expression): Expression {
  if (value.type.kind === 'text') return value;
  if (value.type.kind === 'json') return openedAs(value, 'text');
  const message = `this is ${describeKind(value.type)}, where text is needed`;
  throw new ExpressionError('wrong-type', message, 'name a field of text here', written.spot);
}

/**
 * `+ - * %` are exact for integers and decimals; `/` and `^` always give a number, and `DIV` of whole values a whole
 * one.
 */
function arithmetic(call: Call, op: Arithmetic, scope: NameScope): Expression {
  const [left, right] = call.args.map((side) => {
    const given = typed(side, scope);
    const value = given.type.kind === 'json' ? openedAs(given, 'number') : given;
    if (['integer', 'decimal', 'number'].includes(value.type.kind)) return value;
    const what = describeKind(value.type);
    const message = `${op.toUpperCase()} can not take ${what}`;
    throw new ExpressionError('wrong-type', message, 'it takes integers, decimals and numbers', side.spot);
  }) as [Expression, Expression];
  const spot = call.spot;
  const number = plain('number');
  const kinds = [left.type.kind, right.type.kind];
  if (op === '/' || op === '^' || kinds.includes('number')) {
    return { op, left: asKind(left, number, spot), right: asKind(right, number, spot), type: number };
  }
  if (!kinds.includes('decimal')) return { op, left, right, type: plain('integer') };
  const scale = Math.max(left.type.scale, right.type.scale);
  if (op !== '*') {
    const both = plain('decimal', scale);
    const [one, other] = [asOperand(left, both, spot), asOperand(right, both, spot)];
    return { op, left: one, right: other, type: op === 'div' ? plain('integer') : both };
  }
  const digits = left.type.scale + right.type.scale;
  if (digits > MOST_SCALE) {
    const message = `this product has ${digits} digits after the point; ${MOST_SCALE} are the most`;
    throw new ExpressionError('wrong-type', message, 'multiply fewer decimals', spot);
  }
  const decimals = [left, right].map((side) =>
    side.type.kind === 'decimal' ? side : asOperand(side, plain('decimal'), spot),
  );
  return { op, left: decimals[0]!, right: decimals[1]!, type: plain('decimal', digits) };
}

/** More would leave no room for digits before the point. */
const MOST_SCALE = 14;

/** LIKE takes a literal pattern, in CASEI or ACCENTI if its other side is; it is folded here, once. */
function patternOf(written: Syntax, scope: NameScope): PatternPart[] {
  const text = patternText(written, scope);
  const parts: PatternPart[] = [];
  let literal = '';
  const end = (): void => {
    if (literal !== '') parts.push({ text: literal });
    literal = '';
  };
  const characters = [...text];
  for (let at = 0; at < characters.length; at += 1) {
    const character = characters[at]!;
    if (character === '\\') {
      at += 1;
      if (at === characters.length) {
        const remedy = 'double it to mean itself';
        throw new ExpressionError('syntax', 'the pattern ends with a single \\', remedy, written.spot);
      }
      literal += characters[at]!;
    } else if (character === '%' || character === '_') {
      end();
      const part = character === '%' ? 'any' : 'one';
      if (part !== 'any' || parts.at(-1) !== 'any') parts.push(part);
    } else literal += character;
  }
  end();
  if (parts.filter((part) => part === 'any').length > LIMITS.wildcards) {
    const message = `this pattern has more than ${LIMITS.wildcards} %`;
    throw new ExpressionError('too-large', message, 'use fewer', written.spot);
  }
  return parts;
}

function patternText(written: Syntax, scope: NameScope): string {
  if (written.kind === 'text') return written.value;
  if (written.kind === 'call' && (written.op === 'casei' || written.op === 'accenti') && written.args.length === 1) {
    return scope.letters[written.op](patternText(written.args[0]!, scope));
  }
  const message = 'LIKE takes a text in single quotes on its right';
  throw new ExpressionError('syntax', message, "write it as LIKE 'grey%'", written.spot);
}
