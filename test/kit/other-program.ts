import { createConnection } from 'mariadb';
import pg from 'pg';

/** A connection of somebody else to a database on a server. */
export interface OtherProgram {
  /** The rows of a statement, as arrays. */
  run(sql: string): Promise<unknown[][]>;
  end(): Promise<void>;
}

export async function otherProgram(address: string): Promise<OtherProgram> {
  if (address.startsWith('postgres:')) {
    const client = new pg.Client({ connectionString: address });
    await client.connect();
    return {
      run: async (text) => (await client.query<unknown[]>({ text, rowMode: 'array' })).rows,
      end: () => client.end(),
    };
  }
  const { hostname: host, port, username: user, password, pathname } = new URL(address);
  const client = await createConnection({
    ...{ host, port: Number(port), user, password, database: pathname.slice(1) },
    rowsAsArray: true,
    bigIntAsNumber: true,
  });
  return {
    async run(sql) {
      const rows = await client.query<unknown[][]>(sql);
      return Array.isArray(rows) ? rows : [];
    },
    end: () => client.end(),
  };
}

/** Puts many rows into a table: `value` makes SQL of a number's name, for each column. */
export async function fillRows(
  address: string,
  count: number,
  columns: Readonly<Record<string, (i: string) => string>>,
): Promise<void> {
  const other = await otherProgram(address);
  const isPostgres = address.startsWith('postgres:');
  const numbers = isPostgres ? `generate_series(1, ${count}) AS i` : `(SELECT seq AS i FROM seq_1_to_${count}) AS n`;
  const values = Object.values(columns).map((value) => value('i'));
  await other.run(`INSERT INTO items (${Object.keys(columns).join(', ')}) SELECT ${values.join(', ')} FROM ${numbers}`);
  await other.end();
}
