import type { Document, Node, Pair, Scalar } from 'yaml';
import { yaml } from '../text/libraries.ts';
import type { Declared, Path, ReadDocuments, Source } from './declared.ts';
import type { ProblemCode } from './problem-codes.ts';
import type { Place, Problem } from './problem.ts';

const MEND = 'mend the text at this place; a value with a comma or a colon goes in quotes';

/** Declarations are written by people: whatever is larger or deeper than this is a mistake or an attack. */
const LARGEST = 4_000_000;
const DEEPEST = 32;

/**
 * Reads every node of every document. The library is loaded when there is something to read: mostly, all texts are
 * known.
 */
export function parsedDocuments(source: Source): ReadDocuments {
  if (source.text.length > LARGEST) {
    const place = { file: source.file, line: 1, column: 1, endLine: 1, endColumn: 2 };
    const message = `this file has ${source.text.length} characters; a declaration may have ${LARGEST}`;
    return {
      documents: [],
      lost: [],
      problems: [{ code: 'too-large', severity: 'error', message, remedy: 'split it', place }],
    };
  }
  const { LineCounter, parseAllDocuments } = yaml();
  const lines = new LineCounter();
  const place = (from: number, to: number): Place => {
    const [start, end] = [lines.linePos(from), lines.linePos(Math.max(to, from + 1))];
    return { file: source.file, line: start.line, column: start.col, endLine: end.line, endColumn: end.col };
  };
  const problems: Problem[] = [];
  const complain = (code: ProblemCode, message: string, remedy: string, from: number, to: number): void => {
    problems.push({ code, severity: 'error', message, remedy, place: place(from, to) });
  };

  const documents: Declared[] = [];
  const lost: string[] = [];
  for (const document of parseAllDocuments(source.text, { lineCounter: lines, prettyErrors: false, version: '1.2' })) {
    for (const error of document.errors) {
      const duplicate = error.code === 'DUPLICATE_KEY';
      const code = duplicate ? 'duplicate-key' : 'unreadable-yaml';
      const message = duplicate ? 'this key stands here twice' : `this is not YAML: ${lowerFirst(error.message)}`;
      complain(code, message, duplicate ? 'keep one of them' : MEND, ...error.pos);
    }
    // Only a duplicate key leaves a readable document.
    const readable = document.errors.every(({ code }) => code === 'DUPLICATE_KEY');
    const plain = readable ? plainValue(document, source.text, complain) : undefined;
    if (plain === undefined) lost.push(...namesIn(source.text));
    if (plain === undefined || document.contents === null) continue;
    documents.push({
      file: source.file,
      value: plain.value,
      at: (path, part = 'value') => place(...rangeAt(document, path, part)),
      within: (path, from, to) => {
        const node = path.length === 0 ? document.contents : document.getIn(path, true);
        const starts = yaml().isScalar(node) ? characterStarts(node, source.text) : undefined;
        if (starts?.[from] === undefined) return place(...rangeAt(document, path, 'value'));
        return place(starts[from], starts[to] ?? starts.at(-1)!);
      },
    });
  }
  return { documents, problems, lost };
}

/** The models that an unreadable text seems to declare: references to them are not reported as wrong. */
const namesIn = (text: string): string[] =>
  [...text.matchAll(/^model:[ \t]*([a-z][a-z0-9-]*)/gm)].map(([, name]) => name!);

type Complain = (code: ProblemCode, message: string, remedy: string, from: number, to: number) => void;

/**
 * The plain value of a document, in one walk. Anchors, merges and tags let a few lines stand for millions, or for
 * code: a declaration needs none of them. Undefined if the rest cannot be read.
 */
function plainValue(document: Document.Parsed, text: string, complain: Complain): { value: unknown } | undefined {
  const { isAlias, isMap, isScalar, isSeq } = yaml();
  let readable = true;

  const keyOf = (key: Node | null): string | undefined => {
    if (isScalar(key) && typeof key.value === 'string' && key.value !== '__proto__') return key.value;
    const [from, to] = key?.range ?? [0, 1];
    if (isScalar(key) && key.value === '__proto__') {
      complain('reserved-name', '__proto__ can not be a key', 'choose another name', from, to);
    } else complain('key-not-text', 'a key must be plain text', 'put it in quotes', from, to);
    readable = false;
    return undefined;
  };

  const valueOf = (node: Node | null, depth: number): unknown => {
    if (node === null) return null;
    if (isAlias(node)) {
      readable = false;
      complain('alias', 'aliases are not read', 'write the value out', ...span(node));
      return undefined;
    }
    const marked = node as Node & { anchor?: string; tag?: string };
    if (marked.anchor !== undefined) {
      const mark = `&${marked.anchor}`;
      const at = text.lastIndexOf(mark, span(node)[0]);
      complain('alias', 'anchors are not read', 'leave it out, and write values out', at, at + mark.length);
    }
    if (marked.tag?.startsWith('tag:yaml.org,2002:') === false) {
      complain('unknown-tag', `the tag ${marked.tag} is not read`, 'leave it out', ...span(node));
    }
    if (isScalar(node)) return node.value;
    if (depth === DEEPEST) {
      readable = false;
      complain('too-deep', `more than ${DEEPEST} levels deep`, 'a declaration is flat', ...span(node));
      return undefined;
    }
    if (isSeq<Node>(node)) return node.items.map((item) => valueOf(item, depth + 1));
    const value: Record<string, unknown> = {};
    if (isMap<Node, Node | null>(node)) {
      for (const item of node.items) {
        const key = keyOf(item.key);
        if (key !== undefined) value[key] = valueOf(item.value, depth + 1);
      }
    }
    return value;
  };

  const value = valueOf(document.contents, 0);
  return readable ? { value } : undefined;
}

const span = (node: Node): [number, number] => [node.range?.[0] ?? 0, node.range?.[1] ?? 1];

function rangeAt(document: Document.Parsed, path: Path, part: 'key' | 'value'): [number, number] {
  const { isMap, isScalar, isSeq } = yaml();
  let node: Node | null = document.contents;
  let pair: Pair<Node, Node | null> | undefined;
  for (const step of path) {
    if (isMap<Node, Node | null>(node) && typeof step === 'string') {
      // The last one of duplicate keys: its value is read.
      const found = node.items.findLast((item) => isScalar(item.key) && item.key.value === step);
      if (found === undefined) break;
      pair = found;
      node = found.value;
    } else if (isSeq<Node>(node) && typeof step === 'number' && node.items[step] !== undefined) {
      node = node.items[step];
      pair = undefined;
    } else break;
  }
  if (pair !== undefined && (part === 'key' || !isScalar(node))) return span(pair.key);
  // A whole map or list would mark half of the file: its first key or item is enough to find it by.
  if (isMap<Node>(node) && node.items[0] !== undefined) return span(node.items[0].key);
  return node === null ? [0, 1] : span(node);
}

/**
 * Where in the source each character of a scalar's text begins, and where its last one ends. Undefined where the text
 * is written in a way that takes more to undo: folded over lines, or with rare escapes.
 */
function characterStarts(node: Scalar, source: string): number[] | undefined {
  const [from, to] = span(node as Node);
  const quote = /^['"]$/.test(source.charAt(from)) ? source.charAt(from) : '';
  const end = to - quote.length;
  const starts: number[] = [];
  let text = '';
  for (let at = from + quote.length; at < end;) {
    const doubled = quote === "'" && source.startsWith("''", at);
    const escaped = quote === '"' && source.charAt(at) === '\\';
    starts.push(at);
    text += doubled || escaped ? source.charAt(at + 1) : source.charAt(at);
    at += doubled || escaped ? 2 : 1;
  }
  starts.push(end);
  return text === node.value ? starts : undefined;
}

const lowerFirst = (text: string): string => text.charAt(0).toLowerCase() + text.slice(1);
