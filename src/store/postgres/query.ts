import pg from 'pg';
import type { Row, StoreValue } from '../../core/sql/statement.ts';

/** A statement as it is put to a connection. */
export interface Query {
  readonly config: pg.QueryArrayConfig;
  /** Left out for a command, which can't be prepared, and may be several. */
  readonly values?: readonly StoreValue[];
}

/** What came of it, or of the last of several commands. */
export interface Result {
  readonly rows: readonly Row[];
  readonly rowCount: number | null;
  /** What the server says was done: `SELECT`, `COMMIT`. */
  readonly command: string | null;
}

/** Told what became of a statement: the one or the other. */
export type Told = (error: Error | undefined, result: Result | undefined) => void;

/**
 * What the driver is told of a statement, to be made once. Its members are inherited: the driver copies with every use
 * what is an object's own, descriptors and all, and a copy took as long as the server takes to read a record.
 */
export const configOf = (text: string, name?: string): pg.QueryArrayConfig =>
  Object.create({ text, name, rowMode: 'array' }) as pg.QueryArrayConfig;

/** A command, without values. One that comes again is made once: see `configOf`. */
export const commandOf = (text: string): Query => ({ config: configOf(text) });

/** A statement on its way, which the driver tells of its answer. */
class Sent extends pg.Query {
  constructor({ config, values }: Query, told: Told) {
    super(config, values, (error, result) =>
      told(error ?? undefined, [result as unknown as Result | Result[]].flat().at(-1)),
    );
    const rows = new Rows();
    Object.assign(this, { _result: rows, _results: rows });
  }
}

/** Puts a statement to a connection. */
export function put(client: pg.ClientBase, query: Query, told: Told): void {
  client.query(new Sent(query, told));
}

const BIGINT = 20;
const BOOLEAN = 16;
const INTEGERS: ReadonlySet<number> = new Set([BIGINT, 21, 23]);

const asIs = (text: string): string => text;
const asBoolean = (text: string): boolean => text === 't';

/** Values as the core takes them: texts as they are, but for booleans and whole numbers. */
export const asText = {
  getTypeParser(type: number): (text: string) => StoreValue {
    if (INTEGERS.has(type)) return Number;
    return type === BOOLEAN ? asBoolean : asIs;
  },
};

/** What the driver gathers an answer in, in the place of its own, which gets ready for rows as objects each time. */
class Rows implements Result {
  command: string | null = null;
  rowCount: number | null = null;
  readonly rows: Row[] = [];
  /** Without it, the driver puts it there. */
  readonly _types = asText;
  private parsers: ((text: string) => StoreValue)[] = [];

  addFields(fields: readonly { readonly dataTypeID: number }[]): void {
    this.parsers = fields.map(({ dataTypeID }) => asText.getTypeParser(dataTypeID));
  }

  parseRow(values: readonly (string | null)[]): Row {
    return values.map((value, at) => (value === null ? null : this.parsers[at]!(value)));
  }

  addRow(row: Row): void {
    this.rows.push(row);
  }

  /** `text` is like `INSERT 0 1` or `COMMIT`. */
  addCommandComplete({ text }: { readonly text: string }): void {
    const end = text.indexOf(' ');
    this.command = end < 0 ? text : text.slice(0, end);
    const count = Number(text.slice(text.lastIndexOf(' ') + 1));
    if (end >= 0 && Number.isInteger(count)) this.rowCount = count;
  }
}
