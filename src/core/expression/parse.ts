import { COMPARISONS } from '../model/expression.ts';
import { own } from '../text/own.ts';
import { ExpressionError, LIMITS, RESERVED } from './syntax.ts';
import type { Spot, Syntax } from './syntax.ts';
import { tokenReader } from './token-reader.ts';
import type { TokenReader } from './token-reader.ts';
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
  const tokens = tokenReader(text);
  const whole = disjunction(tokens);
  if (tokens.peek().kind !== 'end') {
    const message = `${tokens.peek().value} can not follow here`;
    return tokens.fail(message, 'join two conditions with AND or OR; put texts in single quotes');
  }
  return whole;
}

/** `a AND b AND c` is one call with three arguments. */
function chain(tokens: TokenReader, op: 'and' | 'or', read: (tokens: TokenReader) => Syntax): Syntax {
  const from = tokens.peek().from;
  const args = [read(tokens)];
  while (tokens.takeWord(op)) args.push(read(tokens));
  return args.length === 1 ? args[0]! : tokens.call(op, args, from);
}
const disjunction = (tokens: TokenReader): Syntax => tokens.deeper(() => chain(tokens, 'or', conjunction));
const conjunction = (tokens: TokenReader): Syntax => chain(tokens, 'and', negation);

function negation(tokens: TokenReader): Syntax {
  const { from } = tokens.peek();
  if (!tokens.takeWord('not')) return predicate(tokens);
  return tokens.call('not', [tokens.deeper(() => negation(tokens))], from);
}

function predicate(tokens: TokenReader): Syntax {
  const { from } = tokens.peek();
  const left = sum(tokens);
  const token = tokens.peek();
  if (token.kind === 'sign' && (COMPARISONS as readonly string[]).includes(token.value)) {
    tokens.take();
    const compared = tokens.call(token.value, [left, sum(tokens)], from);
    if (tokens.peek().kind === 'sign' && (COMPARISONS as readonly string[]).includes(tokens.peek().value)) {
      tokens.fail('comparisons do not chain', 'join two comparisons with AND, or write BETWEEN … AND …');
    }
    return compared;
  }
  if (tokens.takeWord('is')) {
    const negated = tokens.takeWord('not');
    if (!tokens.takeWord('null'))
      tokens.fail('IS goes with NULL alone', 'write IS NULL or IS NOT NULL; compare values with =');
    return maybeNot(tokens, negated, tokens.call('isNull', [left], from), from);
  }
  const negated =
    tokens.isWord('not') &&
    ['like', 'between', 'in'].some((word) => tokens.isWord(word, 1)) &&
    tokens.take() !== undefined;
  if (tokens.takeWord('like')) return maybeNot(tokens, negated, tokens.call('like', [left, sum(tokens)], from), from);
  if (tokens.takeWord('between')) {
    const low = sum(tokens);
    if (!tokens.takeWord('and')) tokens.fail('BETWEEN needs AND and a second value', 'write BETWEEN … AND …');
    return maybeNot(tokens, negated, tokens.call('between', [left, low, sum(tokens)], from), from);
  }
  if (tokens.takeWord('in')) {
    if (!tokens.isSign('(')) tokens.fail('IN needs a list in parentheses', "write it as IN ('a', 'b')");
    const list = listOf(tokens);
    if (list.items.length === 0) tokens.fail('this list is empty', 'put at least one value into it', tokens.last());
    return maybeNot(tokens, negated, tokens.call('in', [left, list], from), from);
  }
  return left;
}
/** The predicate, or its opposite. */
const maybeNot = (tokens: TokenReader, negated: boolean, of: Syntax, from: number): Syntax =>
  negated ? tokens.call('not', [of], from) : of;

const sum = (tokens: TokenReader): Syntax => ranked(tokens, 1);
/** The left-associative operators: rank 1 is + and -, rank 2 is *, /, % and DIV. */
function ranked(tokens: TokenReader, rank: number): Syntax {
  if (rank > 2) return power(tokens);
  const { from } = tokens.peek();
  let left = ranked(tokens, rank + 1);
  while (
    own(ORDERED_RANK, tokens.peek().value.toLowerCase()) === rank &&
    ['sign', 'word'].includes(tokens.peek().kind)
  ) {
    const op = tokens.take().value.toLowerCase();
    left = tokens.call(op, [left, ranked(tokens, rank + 1)], from);
  }
  return left;
}
function power(tokens: TokenReader): Syntax {
  const { from } = tokens.peek();
  const base = signed(tokens);
  if (!tokens.takeSign('^')) return base;
  return tokens.call('^', [base, tokens.deeper(() => power(tokens))], from);
}
function signed(tokens: TokenReader): Syntax {
  const minus = tokens.peek();
  if (!tokens.isSign('-') && !tokens.isSign('+')) return primary(tokens);
  tokens.take();
  if (tokens.peek().kind === 'number') {
    const number = tokens.take();
    const spot = { from: minus.from, to: number.to };
    return tokens.counted({ kind: 'number', written: (minus.value === '-' ? '-' : '') + number.value, spot });
  }
  const of = tokens.deeper(() => signed(tokens));
  if (minus.value === '+') return of;
  const zero: Syntax = { kind: 'number', written: '0', spot: { from: minus.from, to: minus.to } };
  return tokens.call('-', [zero, of], minus.from);
}

function primary(tokens: TokenReader): Syntax {
  const token = tokens.peek();
  const spot = { from: token.from, to: token.to };
  switch (token.kind) {
    case 'text':
      tokens.take();
      return tokens.counted({ kind: 'text', value: token.value, spot });
    case 'number':
      tokens.take();
      return tokens.counted({ kind: 'number', written: token.value, spot });
    case 'quoted':
      return property(tokens);
    case 'word':
      return wordly(tokens, token, spot);
    case 'sign':
      if (token.value === '(') return parenthesized(tokens);
      return tokens.fail(
        `a value is missing before ${token.value}`,
        'write a field, a text in single quotes or a number',
      );
    case 'end':
      return tokens.fail(
        tokens.text.trim() === '' ? 'this expression is empty' : 'the expression ends where a value should stand',
        'write a field, a text in single quotes or a number',
      );
  }
}

/** A constant, a function, or a name. */
function wordly(tokens: TokenReader, token: Token, spot: Spot): Syntax {
  const word = token.value.toLowerCase();
  if (word === 'true' || word === 'false') {
    tokens.take();
    return tokens.counted({ kind: 'boolean', value: word === 'true', spot });
  }
  if ((RESERVED as readonly string[]).includes(word)) {
    const remedy = word === 'null' ? 'write IS NULL or IS NOT NULL' : 'put a name like this in double quotes';
    return tokens.fail(`${token.value} can not stand here`, remedy);
  }
  return tokens.isSign('(', 1) ? called(tokens, word, token) : property(tokens);
}

function called(tokens: TokenReader, word: string, token: Token): Syntax {
  tokens.take();
  if (SPATIAL.test(word)) tokens.fail('there are no spatial predicates', 'compare coordinates as numbers', token);
  if (word === 'date' || word === 'timestamp') {
    tokens.take();
    const inside = tokens.take();
    if (inside.kind !== 'text') {
      const example = word === 'date' ? "DATE('2026-06-12')" : "TIMESTAMP('2026-06-12T14:30:00Z')";
      tokens.fail(`${token.value} needs one text in single quotes`, `write it as ${example}`, inside);
    }
    tokens.expectSign(')', `after ${token.value}`);
    return tokens.counted({ kind: word, value: inside.value, spot: tokens.spotFrom(token.from) });
  }
  const { items } = listOf(tokens);
  const spot = tokens.spotFrom(token.from);
  if (word !== 'interval') return tokens.counted({ kind: 'call', op: word, args: items, spot });
  if (items.length !== 2) tokens.fail('an interval has two ends', "write it as INTERVAL('2026-06-01', '..')", token);
  return tokens.counted({ kind: 'interval', ends: [items[0]!, items[1]!], spot });
}

function property(tokens: TokenReader): Syntax {
  const { from } = tokens.peek();
  const path: string[] = [];
  do {
    const token = tokens.take();
    if (token.kind === 'quoted') path.push(...token.value.split('.'));
    else if (token.kind === 'word') path.push(token.value);
    else tokens.fail('a name is missing after the dot', 'write the name of a member', token);
  } while (tokens.takeSign('.'));
  return tokens.counted({ kind: 'property', path, spot: tokens.spotFrom(from) });
}

/** `(…)`, as a value in parentheses or, with commas, as a list. */
function parenthesized(tokens: TokenReader): Syntax {
  const { from } = tokens.peek();
  const { items } = listOf(tokens);
  const spot = tokens.spotFrom(from);
  return items.length === 1 ? items[0]! : tokens.counted({ kind: 'list', items, spot });
}
function listOf(tokens: TokenReader): Syntax & { kind: 'list' } {
  const { from } = tokens.take();
  const items: Syntax[] = [];
  if (!tokens.isSign(')')) {
    do items.push(disjunction(tokens));
    while (tokens.takeSign(','));
  }
  if (!tokens.takeSign(')')) {
    const remedy = 'close it, or join two conditions with AND or OR';
    tokens.fail('a ( before this place is not closed', remedy);
  }
  return { kind: 'list', items, spot: tokens.spotFrom(from) };
}
