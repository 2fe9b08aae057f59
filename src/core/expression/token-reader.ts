import { ExpressionError, LIMITS } from './syntax.ts';
import type { Spot, Syntax } from './syntax.ts';
import { tokensOf } from './tokens.ts';
import type { Token } from './tokens.ts';

/** Reads the tokens of one expression in their order, and keeps its limits. */
export interface TokenReader {
  readonly text: string;
  peek(ahead?: number): Token;
  take(): Token;
  isSign(sign: string, ahead?: number): boolean;
  isWord(word: string, ahead?: number): boolean;
  /** Takes the sign if it is next. */
  takeSign(sign: string): boolean;
  takeWord(word: string): boolean;
  expectSign(sign: string, after: string): void;
  /** Throws, with the place of a token; left out: of the next one. */
  fail(message: string, remedy: string, token?: Token): never;
  /** The token that was taken last. */
  last(): Token;
  /** From a position to the end of the last token. */
  spotFrom(from: number): Spot;
  /** Counts a term. */
  counted<Node extends Syntax>(node: Node): Node;
  /** Reads one level deeper. */
  deeper<Result>(read: () => Result): Result;
  call(op: string, args: readonly Syntax[], from: number): Syntax;
}

export function tokenReader(text: string): TokenReader {
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
  const spotFrom = (from: number): Spot => ({ from, to: tokens[next - 1]!.to });

  function fail(message: string, remedy: string, token: Token = peek()): never {
    const spot = { from: token.from, to: Math.max(token.to, token.from + 1) };
    throw new ExpressionError('syntax', message, remedy, spot);
  }

  function counted<Node extends Syntax>(node: Node): Node {
    terms += 1;
    if (terms > LIMITS.terms) {
      const message = `this expression has more than ${LIMITS.terms} terms`;
      throw new ExpressionError('too-large', message, 'make it shorter; IN (…) takes many values', node.spot);
    }
    return node;
  }

  return {
    text,
    peek,
    take,
    isSign,
    isWord,
    takeSign,
    takeWord: (word) => isWord(word) && take() !== undefined,
    expectSign(sign, after) {
      if (!takeSign(sign)) fail(`a ${sign} is missing ${after}`, `write ${sign} here`);
    },
    fail,
    last: () => tokens[next - 1]!,
    spotFrom,
    counted,
    deeper(read) {
      depth += 1;
      if (depth > LIMITS.depth) {
        const message = `this expression is nested more than ${LIMITS.depth} deep`;
        throw new ExpressionError('too-large', message, 'use fewer parentheses', { from: peek().from, to: peek().to });
      }
      const result = read();
      depth -= 1;
      return result;
    },
    call: (op, args, from) => counted({ kind: 'call', op, args, spot: spotFrom(from) }),
  };
}
