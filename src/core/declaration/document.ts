import { isAlias, isMap, isPair, isScalar, isSeq, LineCounter, parseAllDocuments, visit } from 'yaml';
import type { Document, Node, Pair, Scalar } from 'yaml';
import type { Place, Problem } from './problem.ts';

/** A file's text as it was read, under the name that problems show. */
export interface Source {
  readonly file: string;
  readonly text: string;
}

export type Path = readonly (string | number)[];

/** One YAML document: its plain value, and the place of whatever stands at a path in it. */
export interface Declared {
  readonly file: string;
  readonly value: unknown;
  /** The place of a value, or of the key that leads to it; the nearest enclosing place where the path ends early. */
  at(path: Path, part?: 'key' | 'value'): Place;
  /** The place of a part of the text at a path, between two of its characters. */
  within(path: Path, from: number, to: number): Place;
}

/** Declarations are written by people: whatever is larger or deeper than this is a mistake or an attack. */
const LARGEST = 4_000_000;
const DEEPEST = 32;

/** Reads the YAML (or JSON) documents of one file. Runs nothing, expands nothing. */
export function readDocuments(source: Source): { documents: Declared[]; problems: Problem[] } {
  if (source.text.length > LARGEST) {
    const place = { file: source.file, line: 1, column: 1, endLine: 1, endColumn: 2 };
    const message = `this file has ${source.text.length} characters; a declaration may have ${LARGEST}`;
    return { documents: [], problems: [{ code: 'too-large', severity: 'error', message, remedy: 'split it', place }] };
  }
  const lines = new LineCounter();
  const place = (from: number, to: number): Place => {
    const [start, end] = [lines.linePos(from), lines.linePos(Math.max(to, from + 1))];
    return { file: source.file, line: start.line, column: start.col, endLine: end.line, endColumn: end.col };
  };
  const problems: Problem[] = [];
  const complain = (code: string, message: string, remedy: string, from: number, to: number): void => {
    problems.push({ code, severity: 'error', message, remedy, place: place(from, to) });
  };

  const documents: Declared[] = [];
  for (const document of parseAllDocuments(source.text, { lineCounter: lines, prettyErrors: false, version: '1.2' })) {
    for (const error of document.errors) {
      const duplicate = error.code === 'DUPLICATE_KEY';
      const code = duplicate ? 'duplicate-key' : 'unreadable-yaml';
      const message = duplicate ? 'this key stands here twice' : `this is not YAML: ${lowerFirst(error.message)}`;
      complain(code, message, duplicate ? 'keep one of them' : 'mend the text at this place', ...error.pos);
    }
    if (document.errors.length > 0) continue;
    const before = problems.length;
    refuseTricks(document, complain);
    if (problems.length > before || document.contents === null) continue;
    documents.push({
      file: source.file,
      value: document.toJS({ maxAliasCount: 0 }) as unknown,
      at: (path, part = 'value') => place(...rangeAt(document, path, part)),
      within: (path, from, to) => {
        const node = path.length === 0 ? document.contents : document.getIn(path, true);
        const starts = isScalar(node) ? characterStarts(node, source.text) : undefined;
        if (starts?.[from] === undefined) return place(...rangeAt(document, path, 'value'));
        return place(starts[from], starts[to] ?? starts.at(-1)!);
      },
    });
  }
  return { documents, problems };
}

/** Anchors, merges and tags let a few lines stand for millions, or for code: a declaration needs none of them. */
function refuseTricks(
  document: Document.Parsed,
  complain: (code: string, message: string, remedy: string, from: number, to: number) => void,
): void {
  visit(document, (_key, node, path) => {
    if (isPair(node)) {
      const key = node.key;
      if (!isScalar(key) || typeof key.value !== 'string') {
        const [from, to] = (key as Node | null)?.range ?? [0, 1];
        complain('key-not-text', 'a key must be plain text', 'put it in quotes', from, to);
      } else if (key.value === '__proto__') {
        complain('reserved-name', '__proto__ can not be a key', 'choose another name', ...span(key));
      }
      return undefined;
    }
    const node_ = node as Node & { anchor?: string; tag?: string };
    if (isAlias(node_) || node_.anchor !== undefined) {
      complain('alias', 'anchors and aliases are not read', 'write the value out', ...span(node_));
      return visit.SKIP;
    }
    if (path.filter((above) => isMap(above) || isSeq(above)).length > DEEPEST) {
      complain('too-deep', `more than ${DEEPEST} levels deep`, 'a declaration is flat', ...span(node_));
      return visit.SKIP;
    }
    if (node_.tag?.startsWith('tag:yaml.org,2002:') === false) {
      complain('unknown-tag', `the tag ${node_.tag} is not read`, 'leave it out', ...span(node_));
    }
    return undefined;
  });
}

const span = (node: Node): [number, number] => [node.range?.[0] ?? 0, node.range?.[1] ?? 1];

function rangeAt(document: Document.Parsed, path: Path, part: 'key' | 'value'): [number, number] {
  let node: Node | null = document.contents;
  let pair: Pair<Node, Node | null> | undefined;
  for (const step of path) {
    if (isMap<Node, Node | null>(node) && typeof step === 'string') {
      const found = node.items.find((item) => isScalar(item.key) && item.key.value === step);
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
  for (let at = from + quote.length; at < end; ) {
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
