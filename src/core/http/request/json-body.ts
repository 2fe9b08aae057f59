import { HttpProblem } from '../../api/problems.ts';
import { JsonRefusal, parseExactly } from '../../text/exact-json.ts';

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
  try {
    return parseExactly(text);
  } catch (error) {
    if (!(error instanceof JsonRefusal)) throw error;
    throw new HttpProblem(error.kind === 'malformed' ? 'malformed-request' : 'too-large', error.message);
  }
}

const decoder = new TextDecoder('utf-8', { fatal: true });
