import { COMPARISONS } from '../model/expression.ts';
import { own } from '../text/own.ts';
import { RESERVED } from './syntax.ts';
import type { Syntax } from './syntax.ts';

/** How tightly each operator binds; whatever binds less tightly than its surroundings goes in parentheses. */
const RANK: Readonly<Record<string, number>> = {
  or: 1,
  and: 2,
  not: 3,
  ...Object.fromEntries([...COMPARISONS, 'like', 'between', 'in', 'isNull'].map((op) => [op, 4])),
  '+': 5,
  '-': 5,
  '*': 6,
  '/': 6,
  '%': 6,
  div: 6,
  '^': 7,
};
const HIGHEST = 8;

/** An expression in the text encoding of CQL2. Parsing it again gives the same tree. */
export function print(syntax: Syntax): string {
  switch (syntax.kind) {
    case 'text':
      return quoted(syntax.value);
    case 'number':
      return syntax.written;
    case 'boolean':
      return syntax.value ? 'TRUE' : 'FALSE';
    case 'date':
    case 'timestamp':
      return `${syntax.kind.toUpperCase()}(${quoted(syntax.value)})`;
    case 'interval':
      return `INTERVAL(${syntax.ends.map(print).join(', ')})`;
    case 'list':
      return `(${syntax.items.map(print).join(', ')})`;
    case 'property':
      return syntax.path.map(name).join('.');
    case 'call':
      return printCall(syntax.op, syntax.args);
  }
}

const quoted = (text: string): string => `'${text.replaceAll("'", "''")}'`;

const name = (word: string): string =>
  /^[\p{L}_][\p{L}\p{N}_]*$/u.test(word) && !(RESERVED as readonly string[]).includes(word.toLowerCase())
    ? word
    : `"${word.replaceAll('"', '""')}"`;

function printCall(op: string, args: readonly Syntax[]): string {
  const rank = own(RANK, op);
  if (rank === undefined)
    return `${op.includes('_') || OWN_WORDS.has(op) ? op.toUpperCase() : op}(${args.map(print).join(', ')})`;
  const inside = (at: number, least: number): string => {
    const arg = args[at]!;
    return rankOf(arg) < least ? `(${print(arg)})` : print(arg);
  };
  switch (op) {
    case 'and':
    case 'or':
      return args.map((_arg, at) => inside(at, rank + 1)).join(` ${op.toUpperCase()} `);
    case 'not':
      return `NOT ${inside(0, rank)}`;
    case 'isNull':
      return `${inside(0, rank + 1)} IS NULL`;
    case 'between':
      return `${inside(0, rank + 1)} BETWEEN ${inside(1, rank + 1)} AND ${inside(2, rank + 1)}`;
    case 'in': {
      const list = args[1]!;
      return `${inside(0, rank + 1)} IN (${(list.kind === 'list' ? list.items : [list]).map(print).join(', ')})`;
    }
    case '^':
      return `${inside(0, rank + 1)} ^ ${inside(1, rank)}`;
    case 'like':
    case 'div':
      return `${inside(0, rank + (op === 'like' ? 1 : 0))} ${op.toUpperCase()} ${inside(1, rank + 1)}`;
    default:
      // Comparisons don't chain; the other operators are read from the left.
      return `${inside(0, rank === 4 ? 5 : rank)} ${op} ${inside(1, rank + 1)}`;
  }
}

const OWN_WORDS: ReadonlySet<string> = new Set(['casei', 'accenti']);

const rankOf = (syntax: Syntax): number => (syntax.kind === 'call' ? (own(RANK, syntax.op) ?? HIGHEST) : HIGHEST);
