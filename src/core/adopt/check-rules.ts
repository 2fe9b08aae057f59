import type { FieldDeclaration } from '../declaration/declarations.ts';

/** Rules that a check of a database says of a column. */
export interface CheckRules {
  readonly column: string;
  readonly rules: Pick<
    FieldDeclaration,
    | 'minimum'
    | 'maximum'
    | 'exclusiveMinimum'
    | 'exclusiveMaximum'
    | 'minLength'
    | 'maxLength'
    | 'multipleOf'
    | 'enum'
    | 'const'
    | 'pattern'
  >;
}

/**
 * Reads a check as rules of fields: bounds, lengths, lists and patterns, joined by AND. Undefined where it says more.
 */
export function checkRules(words: string): CheckRules[] | undefined {
  const parts = partsOf(bare(words));
  const found = parts.map((part) => oneRule(bare(part)));
  return found.some((one) => one === undefined) ? undefined : (found as CheckRules[]);
}

/** Without casts, brackets around the whole, and blanks that say nothing. */
function bare(words: string): string {
  let text = words
    .replace(/::"?[a-z_]+"?( varying| precision| with(out)? time zone)?(\(\d+(,\d+)?\))?(\[\])?/gi, '')
    .replace(/_utf8mb4'/gi, "'")
    .trim();
  while (text.startsWith('(') && closing(text, 0) === text.length - 1) text = text.slice(1, -1).trim();
  return text;
}

/** Where the bracket that opens at a place is closed; texts in quotes are passed over. */
function closing(text: string, from: number): number {
  let depth = 0;
  for (let at = from; at < text.length; at += 1) {
    if (text[at] === "'") at = text.indexOf("'", at + 1);
    if (at < 0) return -1;
    if (text[at] === '(') depth += 1;
    if (text[at] === ')') depth -= 1;
    if (depth === 0) return at;
  }
  return -1;
}

/** The parts that AND joins, at the outermost level; that of BETWEEN joins nothing. */
function partsOf(text: string): string[] {
  if (/\bbetween\b/i.test(text)) return [text];
  const parts = [''];
  for (let at = 0; at < text.length; at += 1) {
    if (text[at] === '(') {
      const end = closing(text, at);
      if (end < 0) return [text];
      parts[parts.length - 1] += text.slice(at, end + 1);
      at = end;
    } else if (text[at] === "'") {
      const end = text.indexOf("'", at + 1);
      if (end < 0) return [text];
      parts[parts.length - 1] += text.slice(at, end + 1);
      at = end;
    } else if (/^\sand\s/i.test(text.slice(at, at + 5))) {
      parts.push('');
      at += 4;
    } else parts[parts.length - 1] += text[at]!;
  }
  return parts;
}

const NAME = String.raw`\(?(?:"((?:[^"]|"")+)"|\`([^\`]+)\`|\[([^\]]+)\]|([A-Za-z_][\w$]*))\)?`;
const NUMBER = String.raw`\(?'?(-?\s?\d+(?:\.\d+)?)'?\)?`;
const COMPARED = new RegExp(`^${NAME}\\s*(>=|<=|>|<)\\s*${NUMBER}$`);
const LENGTH = new RegExp(`^(?:char_length|length)\\s*\\(\\s*${NAME}\\s*\\)\\s*(>=|<=|>|<|=)\\s*${NUMBER}$`, 'i');
const LENGTH_BETWEEN = new RegExp(
  `^(?:char_length|length)\\s*\\(\\s*${NAME}\\s*\\)\\s+between\\s+${NUMBER}\\s+and\\s+${NUMBER}$`,
  'i',
);
const BETWEEN = new RegExp(`^${NAME}\\s+between\\s+${NUMBER}\\s+and\\s+${NUMBER}$`, 'i');
const MULTIPLE = new RegExp(`^\\(*${NAME}\\s*(?:%|\\bMOD\\b)\\s*${NUMBER}\\)?(?:\\s*\\+\\s*0)?\\)?\\s*=\\s*${NUMBER}$`);
const AMONG = new RegExp(`^${NAME}\\s*(?:in\\s*\\((.*)\\)|=\\s*any\\s*\\(+array\\[(.*)\\]\\)+)$`, 'i');
const EQUAL = new RegExp(`^${NAME}\\s*=\\s*(?:${NUMBER}|'((?:[^']|'')*)'|(true|false))$`, 'i');
const MATCHES = new RegExp(`^${NAME}\\s*~\\s*'((?:[^']|'')*)'$`);

const LIMITS = { '>=': 'minimum', '<=': 'maximum', '>': 'exclusiveMinimum', '<': 'exclusiveMaximum' } as const;

function oneRule(part: string): CheckRules | undefined {
  for (const [form, rulesOf] of FORMS) {
    const found = form.exec(part);
    if (found === null) continue;
    const [, quoted, ticked, boxed, plain, ...rest] = found;
    const rules = rulesOf(rest.map((one) => one ?? ''));
    const column = quoted?.replaceAll('""', '"') ?? ticked ?? boxed ?? plain!;
    return rules === undefined ? undefined : { column, rules };
  }
  return undefined;
}

const numberIn = (text: string): number => Number(text.replaceAll(' ', ''));

const FORMS: readonly (readonly [RegExp, (rest: readonly string[]) => CheckRules['rules'] | undefined])[] = [
  [COMPARED, ([sign, limit]) => ({ [LIMITS[sign as keyof typeof LIMITS]]: numberIn(limit!) })],
  [LENGTH, ([sign, limit]) => lengthRules(sign!, numberIn(limit!))],
  [LENGTH_BETWEEN, ([least, most]) => ({ minLength: numberIn(least!), maxLength: numberIn(most!) })],
  [BETWEEN, ([least, most]) => ({ minimum: numberIn(least!), maximum: numberIn(most!) })],
  [MULTIPLE, ([step, rest]) => (numberIn(rest!) === 0 ? { multipleOf: numberIn(step!) } : undefined)],
  [AMONG, ([list, array]) => listRules(list === '' ? array! : list!)],
  [EQUAL, ([number, text, truth]) => equalRules(number!, text!, truth!)],
  [MATCHES, ([pattern]) => (isPlain(pattern!) ? { pattern: pattern!.replaceAll("''", "'") } : undefined)],
];

function lengthRules(sign: string, limit: number): CheckRules['rules'] {
  const least = sign === '>=' || sign === '=' ? limit : sign === '>' ? limit + 1 : undefined;
  const most = sign === '<=' || sign === '=' ? limit : sign === '<' ? limit - 1 : undefined;
  return { ...(least === undefined ? {} : { minLength: least }), ...(most === undefined ? {} : { maxLength: most }) };
}

function equalRules(number: string, text: string, truth: string): CheckRules['rules'] {
  if (truth !== '') return { const: truth.toLowerCase() === 'true' };
  return { enum: [number === '' ? text.replaceAll("''", "'") : numberIn(number)] };
}

/** Signs that mean the same in the regular expressions of databases and of JavaScript. */
const isPlain = (pattern: string): boolean =>
  /^[\w\s^$.,:;@/=<>!#%&~"'|()[\]{}*+?-]*$/.test(pattern) && !/\[\[|\(\?/.test(pattern);

/** A list of constants: texts in quotes, or numbers. */
function listRules(list: string): CheckRules['rules'] | undefined {
  const items = list.match(/'(?:[^']|'')*'|[^,]+/g) ?? [];
  const values = items.map((item) => item.trim().replace(/^\((.*)\)$/, '$1')).filter((item) => item !== '');
  const texts = values.flatMap((item) => /^'((?:[^']|'')*)'$/.exec(item)?.[1]?.replaceAll("''", "'") ?? []);
  if (texts.length === values.length) return { enum: texts };
  return values.every((item) => /^-?\d+(\.\d+)?$/.test(item)) ? { enum: values.map(Number) } : undefined;
}
