import { isUtf8 } from 'node:buffer';
import { EXIT, Failure } from './failure.ts';

const strict = new TextDecoder('utf-8', { fatal: true });

/**
 * The text of a file, without a byte order mark. Throws where it is not UTF-8: any other reading would change letters.
 */
export function textOf(file: string, bytes: Uint8Array): string {
  try {
    return strict.decode(bytes);
  } catch {
    throw notUtf8(file, bytes, 1);
  }
}

/** Where bytes stop being UTF-8. `firstLine` is the number of the line that they begin with. */
export function notUtf8(file: string, bytes: Uint8Array, firstLine: number): Failure {
  const remedy = 'save the file as UTF-8: editors have that beside its name, or under Save as';
  const isWide = (bytes[0] === 0xff && bytes[1] === 0xfe) || (bytes[0] === 0xfe && bytes[1] === 0xff);
  if (isWide && firstLine === 1) return new Failure(EXIT.foundWrong, `${file} is UTF-16, not UTF-8`, remedy);
  let [line, begin] = [firstLine, 0];
  for (let end = 0; end <= bytes.length; end += 1) {
    if (end < bytes.length && bytes[end] !== 0x0a) continue;
    const whole = bytes.subarray(begin, end);
    if (!isUtf8(whole)) {
      const at = wrongByte(whole);
      const column = strict.decode(whole.subarray(0, at)).length + 1;
      const byte = whole[at]!.toString(16).toUpperCase().padStart(2, '0');
      return new Failure(
        EXIT.foundWrong,
        `${file}:${line}:${column} holds a byte that is no UTF-8 (0x${byte})`,
        remedy,
      );
    }
    line += 1;
    begin = end + 1;
  }
  return new Failure(EXIT.foundWrong, `${file} is not UTF-8`, remedy);
}

/** The place of the first byte that belongs to no character. */
function wrongByte(bytes: Uint8Array): number {
  let at = 0;
  while (at < bytes.length) {
    const length = [1, 2, 3, 4].find((count) => at + count <= bytes.length && isUtf8(bytes.subarray(at, at + count)));
    if (length === undefined) return at;
    at += length;
  }
  return at;
}
