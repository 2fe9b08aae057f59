/** A statement as MariaDB takes it, and which of the values stands at each of its placeholders. */
export interface Placed {
  readonly text: string;
  readonly order: readonly number[];
}

/** A quoted name or text; or the placeholder of the n-th value. */
const PART = /"(?:[^"]|"")*"|'(?:[^']|'')*'|\?(\d+)/g;

/**
 * MariaDB's placeholders have no numbers: the n-th value is the n-th of them. Statements name their values, in any
 * order and more than once.
 */
export function placed(sql: string): Placed {
  const order: number[] = [];
  const text = sql.replace(PART, (part: string, position: string | undefined) => {
    if (position === undefined) return part;
    order.push(Number(position) - 1);
    return '?';
  });
  return { text, order };
}
