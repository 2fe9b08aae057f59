import { COMPARISONS } from '../model/expression.ts';
import { own } from '../text/own.ts';
import { ExpressionError, LIMITS, RESERVED } from './syntax.ts';
import type { Spot, Syntax } from './syntax.ts';
import { tokensOf } from './tokens.ts';
import type { Token } from './tokens.ts';

const SPATIAL = /^s_(intersects|contains|within|disjoint|crosses|overlaps|touches|equals)$/;
const ORDERED_RANK: Readonly<Record<string, number>> = { '+': 1, '-': 1, '*': 2, '/': 2, '%': 2, div: 2 };

/**
 * Reads the text encoding of CQL2. Throws `ExpressionError` with the place of the first thing that is wrong.
 *
 * @example
 * parse("beds >= 8 AND CASEI(name) LIKE CASEI('grey%')")
 */
export function parse(text: string): Syntax {
  if (text.length > LIMITS.characters) {
    const message = `this expression has ${text.length} characters; ${LIMITS.characters} are the most`;
    throw new ExpressionError('too-large', message, 'make it shorter', { from: LIMITS.characters, to: text.length });
  }
  const tokens = tokensOf(text);
  let next = 0;
  let terms = 0;
  let depth = 0;

  const peek = (ahead = 0): Token => tokens[Math.min(next + ahead, tokens.length - 1)]!;
  const take = (): Token => tokens[Math.min(next++, tokens.length - 1)]!;
  const isSign = (sign: string, ahead = 0): boolean => peek(ahead).kind === 'sign' && peek(ahead).value === sign;
  const isWord = (word: string, ahead = 0): boolean =>
    peek(ahead).kind === 'word' && peek(ahead).value.toLowerCase() === word;
  const takeSign = (sign: string): boolean => isSign(sign) && take() !== undefined;
  const takeWord = (word: string): boolean => isWord(word) && take() !== undefined;

  function fail(message: string, remedy: string, token: Token = peek()): never {
    const spot = { from: token.from, to: Math.max(token.to, token.from + 1) };
    throw new ExpressionError('syntax', message, remedy, spot);
  }
  function expectSign(sign: string, after: string): void {
    if (!takeSign(sign)) fail(`a ${sign} is missing ${after}`, `write ${sign} here`);
  }
  function counted<Node extends Syntax>(node: Node): Node {
    terms += 1;
    if (terms > LIMITS.terms) {
      const message = `this expression has more than ${LIMITS.terms} terms`;
      throw new ExpressionError('too-large', message, 'make it shorter; IN (…) takes many values', node.spot);
    }
    return node;
  }
  function deeper<Result>(read: () => Result): Result {
    depth += 1;
    if (depth > LIMITS.depth) {
      const message = `this expression is nested more than ${LIMITS.depth} deep`;
      throw new ExpressionError('too-large', message, 'use fewer parentheses', { from: peek().from, to: peek().to });
    }
    const result = read();
    depth -= 1;
    return result;
  }
  const call = (op: string, args: readonly Syntax[], from: number): Syntax =>
    counted({ kind: 'call', op, args, spot: { from, to: tokens[next - 1]!.to } });

  /** `a AND b AND c` is one call with three arguments. */
  function chain(op: 'and' | 'or', read: () => Syntax): Syntax {
    const from = peek().from;
    const args = [read()];
    while (takeWord(op)) args.push(read());
    return args.length === 1 ? args[0]! : call(op, args, from);
  }
  const disjunction = (): Syntax => deeper(() => chain('or', conjunction));
  const conjunction = (): Syntax => chain('and', negation);

  function negation(): Syntax {
    const { from } = peek();
    if (!takeWord('not')) return predicate();
    return call('not', [deeper(negation)], from);
  }

  function predicate(): Syntax {
    const { from } = peek();
    const left = sum();
    const token = peek();
    if (token.kind === 'sign' && (COMPARISONS as readonly string[]).includes(token.value)) {
      take();
      const compared = call(token.value, [left, sum()], from);
      if (peek().kind === 'sign' && (COMPARISONS as readonly string[]).includes(peek().value)) {
        fail('comparisons do not chain', 'join two comparisons with AND, or write BETWEEN … AND …');
      }
      return compared;
    }
    if (takeWord('is')) {
      const negated = takeWord('not');
      if (!takeWord('null')) fail('IS goes with NULL alone', 'write IS NULL or IS NOT NULL; compare values with =');
      return maybeNot(negated, call('isNull', [left], from), from);
    }
    const negated = isWord('not') && ['like', 'between', 'in'].some((word) => isWord(word, 1)) && take() !== undefined;
    if (takeWord('like')) return maybeNot(negated, call('like', [left, sum()], from), from);
    if (takeWord('between')) {
      const low = sum();
      if (!takeWord('and')) fail('BETWEEN needs AND and a second value', 'write BETWEEN … AND …');
      return maybeNot(negated, call('between', [left, low, sum()], from), from);
    }
    if (takeWord('in')) {
      if (!isSign('(')) fail('IN needs a list in parentheses', "write it as IN ('a', 'b')");
      const list = listOf();
      if (list.items.length === 0) fail('this list is empty', 'put at least one value into it', tokens[next - 1]);
      return maybeNot(negated, call('in', [left, list], from), from);
    }
    return left;
  }
  const maybeNot = (negated: boolean, of: Syntax, from: number): Syntax => (negated ? call('not', [of], from) : of);

  const sum = (): Syntax => ranked(1);
  /** The left-associative operators: rank 1 is + and -, rank 2 is *, /, % and DIV. */
  function ranked(rank: number): Syntax {
    if (rank > 2) return power();
    const { from } = peek();
    let left = ranked(rank + 1);
    while (own(ORDERED_RANK, peek().value.toLowerCase()) === rank && ['sign', 'word'].includes(peek().kind)) {
      const op = take().value.toLowerCase();
      left = call(op, [left, ranked(rank + 1)], from);
    }
    return left;
  }
  function power(): Syntax {
    const { from } = peek();
    const base = signed();
    if (!takeSign('^')) return base;
    return call('^', [base, deeper(power)], from);
  }
  function signed(): Syntax {
    const minus = peek();
    if (!isSign('-') && !isSign('+')) return primary();
    take();
    if (peek().kind === 'number') {
      const number = take();
      const spot = { from: minus.from, to: number.to };
      return counted({ kind: 'number', written: (minus.value === '-' ? '-' : '') + number.value, spot });
    }
    const of = deeper(signed);
    if (minus.value === '+') return of;
    const zero: Syntax = { kind: 'number', written: '0', spot: { from: minus.from, to: minus.to } };
    return call('-', [zero, of], minus.from);
  }

  function primary(): Syntax {
    const token = peek();
    const spot = { from: token.from, to: token.to };
    switch (token.kind) {
      case 'text':
        take();
        return counted({ kind: 'text', value: token.value, spot });
      case 'number':
        take();
        return counted({ kind: 'number', written: token.value, spot });
      case 'quoted':
        return property();
      case 'word':
        return wordly(token, spot);
      case 'sign':
        if (token.value === '(') return parenthesized();
        return fail(`a value is missing before ${token.value}`, 'write a field, a text in single quotes or a number');
      case 'end':
        return fail(
          text.trim() === '' ? 'this expression is empty' : 'the expression ends where a value should stand',
          'write a field, a text in single quotes or a number',
        );
    }
  }

  function wordly(token: Token, spot: Spot): Syntax {
    const word = token.value.toLowerCase();
    if (word === 'true' || word === 'false') {
      take();
      return counted({ kind: 'boolean', value: word === 'true', spot });
    }
    if ((RESERVED as readonly string[]).includes(word)) {
      const remedy = word === 'null' ? 'write IS NULL or IS NOT NULL' : 'put a name like this in double quotes';
      return fail(`${token.value} can not stand here`, remedy);
    }
    return isSign('(', 1) ? called(word, token) : property();
  }

  function called(word: string, token: Token): Syntax {
    take();
    if (SPATIAL.test(word)) fail('there are no spatial predicates', 'compare coordinates as numbers', token);
    if (word === 'date' || word === 'timestamp') {
      take();
      const inside = take();
      if (inside.kind !== 'text') {
        const example = word === 'date' ? "DATE('2026-06-12')" : "TIMESTAMP('2026-06-12T14:30:00Z')";
        fail(`${token.value} needs one text in single quotes`, `write it as ${example}`, inside);
      }
      expectSign(')', `after ${token.value}`);
      return counted({ kind: word, value: inside.value, spot: { from: token.from, to: tokens[next - 1]!.to } });
    }
    const { items } = listOf();
    const spot = { from: token.from, to: tokens[next - 1]!.to };
    if (word !== 'interval') return counted({ kind: 'call', op: word, args: items, spot });
    if (items.length !== 2) fail('an interval has two ends', "write it as INTERVAL('2026-06-01', '..')", token);
    return counted({ kind: 'interval', ends: [items[0]!, items[1]!], spot });
  }

  function property(): Syntax {
    const { from } = peek();
    const path: string[] = [];
    do {
      const token = take();
      if (token.kind === 'quoted') path.push(...token.value.split('.'));
      else if (token.kind === 'word') path.push(token.value);
      else fail('a name is missing after the dot', 'write the name of a member', token);
    } while (takeSign('.'));
    return counted({ kind: 'property', path, spot: { from, to: tokens[next - 1]!.to } });
  }

  /** `(…)`, as a value in parentheses or, with commas, as a list. */
  function parenthesized(): Syntax {
    const { from } = peek();
    const { items } = listOf();
    const spot = { from, to: tokens[next - 1]!.to };
    return items.length === 1 ? items[0]! : counted({ kind: 'list', items, spot });
  }
  function listOf(): Syntax & { kind: 'list' } {
    const { from } = take();
    const items: Syntax[] = [];
    if (!isSign(')')) {
      do items.push(disjunction());
      while (takeSign(','));
    }
    if (!takeSign(')')) {
      const remedy = 'close it, or join two conditions with AND or OR';
      fail('a ( before this place is not closed', remedy);
    }
    return { kind: 'list', items, spot: { from, to: tokens[next - 1]!.to } };
  }

  const whole = disjunction();
  if (peek().kind !== 'end') {
    fail(`${peek().value} can not follow here`, 'join two conditions with AND or OR; put texts in single quotes');
  }
  return whole;
}
