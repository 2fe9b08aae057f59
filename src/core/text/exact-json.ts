import { exactNumber, isKept } from './exact-number.ts';
import { jsonFault } from './json-fault.ts';

/** Levels of a body, and of what a patch makes of a record. */
export const DEEPEST = 64;
/** Values of one body, however small they are: each costs more than its letters. */
export const MOST_VALUES = 150_000;
/** Members of one object, and numbers that are kept as they are written. */
export const MOST_MEMBERS = 10_000;

/** Thrown for a text that is not JSON, has a name twice, or is larger than anybody reads. */
export class JsonRefusal extends Error {
  readonly kind: 'malformed' | 'too-large';

  constructor(kind: JsonRefusal['kind'], detail: string) {
    super(detail);
    this.kind = kind;
  }
}

/**
 * The value of a JSON text, read strictly: one that is too deep, names a member twice or has one that means something
 * else in JavaScript is refused. Numbers that no JavaScript number equals keep their digits.
 */
export function parseExactly(text: string): unknown {
  const value = parsed(text);
  const inexact = lookInto(text);
  return inexact.length === 0 ? value : parsed(marked(text, inexact));
}

/** Brackets that follow each other: the parser would take longer for thousands of them than for anything else. */
const MANY_BRACKETS = '['.repeat(DEEPEST + 1);

function parsed(text: string): unknown {
  if (text.includes(MANY_BRACKETS)) throw tooDeep();
  try {
    return JSON.parse(text);
  } catch {
    throw new JsonRefusal('malformed', `the body is not JSON: ${whereJsonBreaks(text)}`);
  }
}

/** The text with marked texts in the place of numbers. */
function marked(text: string, numbers: readonly Span[]): string {
  const parts: string[] = [];
  let from = 0;
  for (const { begin, end } of numbers) {
    parts.push(text.slice(from, begin), JSON.stringify(exactNumber(text.slice(begin, end))));
    from = end;
  }
  parts.push(text.slice(from));
  return parts.join('');
}

/** Where the parser breaks off: it doesn't always say so itself. */
function whereJsonBreaks(text: string): string {
  const position = jsonFault(text);
  const before = text.slice(0, position).split('\n');
  const sign = String.fromCodePoint(text.codePointAt(position) ?? 0);
  const unexpected = position >= text.length ? 'it ends too early' : `unexpected ${JSON.stringify(sign)}`;
  return `${unexpected} at line ${before.length}, column ${(before.at(-1)?.length ?? 0) + 1}`;
}

/** A part of a text. */
interface Span {
  readonly begin: number;
  readonly end: number;
}

/**
 * JSON.parse keeps the last of two members with one name, takes the nearest for numbers that it can't hold, and says
 * nothing of either. The text is known to be JSON here, so it is enough to follow its strings, numbers and brackets.
 * Gives the numbers that would be changed.
 */
function lookInto(text: string): Span[] {
  const open: (Set<string> | undefined)[] = [];
  const inexact: Span[] = [];
  let awaitsName = false;
  let values = 1;
  for (let at = 0; at < text.length; at += 1) {
    const sign = text[at]!;
    if (sign === '{') {
      open.push(new Set());
      awaitsName = true;
    } else if (sign === '[') {
      open.push(undefined);
      awaitsName = false;
    } else if (sign === '}' || sign === ']') {
      open.pop();
      awaitsName = false;
    } else if (sign === ',') {
      values += 1;
      if (values > MOST_VALUES) throw tooMany('values', MOST_VALUES);
      awaitsName = open.at(-1) !== undefined;
    } else if (sign === '"') {
      const end = endOfString(text, at);
      if (awaitsName) {
        const name = text.slice(at + 1, end);
        noteName(name.includes('\\') ? (JSON.parse(`"${name}"`) as string) : name, open.at(-1)!);
      }
      awaitsName = false;
      at = end;
    } else if (sign === '-' || (sign >= '0' && sign <= '9')) {
      const end = endOfNumber(text, at);
      if (!isKept(text.slice(at, end))) inexact.push({ begin: at, end });
      if (inexact.length > MOST_MEMBERS) throw tooMany('numbers of more digits than a double has', MOST_MEMBERS);
      at = end - 1;
    }
    if (open.length > DEEPEST) throw tooDeep();
  }
  return inexact;
}

const tooMany = (what: string, most: number): JsonRefusal =>
  new JsonRefusal('too-large', `a body may have ${most} ${what} at most`);

const tooDeep = (): JsonRefusal => new JsonRefusal('malformed', `the body is more than ${DEEPEST} levels deep`);

function endOfNumber(text: string, start: number): number {
  IN_NUMBER.lastIndex = start;
  IN_NUMBER.test(text);
  return IN_NUMBER.lastIndex;
}

const IN_NUMBER = /[\d.+eE-]+/y;

function endOfString(text: string, start: number): number {
  let at = start + 1;
  while (text[at] !== '"') at += text[at] === '\\' ? 2 : 1;
  return at;
}

function noteName(name: string, names: Set<string>): void {
  // JSON may have it, but whatever goes on with the value would take it for something else.
  if (name === '__proto__') throw new JsonRefusal('malformed', 'the body has a member "__proto__"');
  if (names.has(name)) throw new JsonRefusal('malformed', `the body names the member ${JSON.stringify(name)} twice`);
  names.add(name);
  if (names.size > MOST_MEMBERS) throw tooMany('members in one object', MOST_MEMBERS);
}
