import { own } from '../text/own.ts';
import { ExpressionError } from './syntax.ts';

export interface Token {
  readonly kind: 'word' | 'quoted' | 'text' | 'number' | 'sign' | 'end';
  /** A word as it was written, a text without its quotes, a sign. */
  readonly value: string;
  readonly from: number;
  readonly to: number;
}

const BLANK = /\s+/uy;
const WORD = /[\p{L}_][\p{L}\p{N}_]*/uy;
const NUMBER = /(?:\d+(?:\.\d+)?|\.\d+)(?:[eE][+-]?\d+)?/y;
const TEXT = /'(?:[^']|'')*'/y;
const QUOTED = /"(?:[^"]|"")*"/y;
const SIGN = /<>|<=|>=|[-+*/%^=<>(),.]/y;

const spelled: Readonly<Record<string, string>> = { '!=': '<>', '==': '=', '&&': 'AND', '||': 'OR', '!': 'NOT' };

/** Cuts a text into tokens; the last one is the end. Throws `ExpressionError`. */
export function tokensOf(text: string): Token[] {
  const tokens: Token[] = [];
  let at = 0;
  const match = (pattern: RegExp): string | undefined => {
    pattern.lastIndex = at;
    return pattern.exec(text)?.[0];
  };
  const push = (kind: Token['kind'], raw: string, value: string): void => {
    tokens.push({ kind, value, from: at, to: at + raw.length });
    at += raw.length;
  };

  while (at < text.length) {
    const blank = match(BLANK);
    if (blank !== undefined) {
      at += blank.length;
      continue;
    }
    const word = match(WORD);
    const number = word === undefined ? match(NUMBER) : undefined;
    const quoted = match(QUOTED);
    const string = match(TEXT);
    const sign = match(SIGN);
    if (word !== undefined) push('word', word, word);
    else if (number !== undefined) push('number', number, number);
    else if (quoted !== undefined) push('quoted', quoted, quoted.slice(1, -1).replaceAll('""', '"'));
    else if (string !== undefined) push('text', string, string.slice(1, -1).replaceAll("''", "'"));
    else if (sign !== undefined) push('sign', sign, sign);
    else throw strange(text, at);
  }
  tokens.push({ kind: 'end', value: '', from: text.length, to: text.length });
  return tokens;
}

function strange(text: string, at: number): ExpressionError {
  const mark = text.charAt(at);
  if (mark === "'" || mark === '"') {
    const what = mark === "'" ? 'text' : 'name';
    const message = `this ${what} has no end: its closing ${mark} is missing`;
    return new ExpressionError('syntax', message, `close it; a ${mark} inside is doubled`, {
      from: at,
      to: text.length,
    });
  }
  const two = text.slice(at, at + 2);
  const meant = own(spelled, two) ?? own(spelled, mark);
  const shown = own(spelled, two) === undefined ? String.fromCodePoint(text.codePointAt(at)!) : two;
  const remedy = meant === undefined ? 'leave it out, or put texts in single quotes' : `write ${meant}`;
  return new ExpressionError('syntax', `${shown} means nothing here`, remedy, { from: at, to: at + shown.length });
}
