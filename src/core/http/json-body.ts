import { HttpProblem } from './problems.ts';

const DEEPEST = 64;
const decoder = new TextDecoder('utf-8', { fatal: true });

/**
 * Reads a body of UTF-8 JSON strictly: one that is not JSON, too deep, names a member twice or has one that means
 * something else in JavaScript is a 400.
 */
export function readJson(body: Uint8Array): unknown {
  let text: string;
  try {
    text = decoder.decode(body);
  } catch {
    throw new HttpProblem('malformed-request', 'the body is not UTF-8 text');
  }
  if (text.trim() === '') throw new HttpProblem('malformed-request', 'the body is empty; send a JSON object');
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch (error) {
    throw new HttpProblem('malformed-request', `the body is not JSON: ${whereJsonBreaks(text, error as Error)}`);
  }
  refuseTwins(text);
  return value;
}

/** The parser tells a position only in its message, and an unexpected end without one. */
function whereJsonBreaks(text: string, error: Error): string {
  const found = /at position (\d+)/.exec(error.message)?.[1];
  const position = found === undefined ? text.length : Number(found);
  const before = text.slice(0, position).split('\n');
  const unexpected = position >= text.length ? 'it ends too early' : `unexpected ${JSON.stringify(text[position])}`;
  return `${unexpected} at line ${before.length}, column ${(before.at(-1)?.length ?? 0) + 1}`;
}

/**
 * JSON.parse keeps the last of two members with one name and says nothing. The text is known to be JSON here, so it is
 * enough to follow its strings and brackets.
 */
function refuseTwins(text: string): void {
  const open: (Set<string> | undefined)[] = [];
  let awaitsName = false;
  for (let at = 0; at < text.length; at += 1) {
    switch (text[at]) {
      case '{':
        open.push(new Set());
        awaitsName = true;
        break;
      case '[':
        open.push(undefined);
        awaitsName = false;
        break;
      case '}':
      case ']':
        open.pop();
        awaitsName = false;
        break;
      case ',':
        awaitsName = open.at(-1) !== undefined;
        break;
      case '"': {
        const end = endOfString(text, at);
        if (awaitsName) noteName(JSON.parse(text.slice(at, end + 1)) as string, open.at(-1)!);
        awaitsName = false;
        at = end;
      }
    }
    if (open.length > DEEPEST)
      throw new HttpProblem('malformed-request', `the body is more than ${DEEPEST} levels deep`);
  }
}

function endOfString(text: string, start: number): number {
  let at = start + 1;
  while (text[at] !== '"') at += text[at] === '\\' ? 2 : 1;
  return at;
}

function noteName(name: string, names: Set<string>): void {
  // JSON may have it, but whatever goes on with the value would take it for something else.
  if (name === '__proto__') throw new HttpProblem('malformed-request', 'the body has a member "__proto__"');
  if (names.has(name))
    throw new HttpProblem('malformed-request', `the body names the member ${JSON.stringify(name)} twice`);
  names.add(name);
}
