import pg from 'pg';
import { quoteName } from '../sql/quote.ts';
import type { CopiedTable, RestoreConnection } from '../sql/changed-rows.ts';
import { readAddress } from './address.ts';

/** A connection that puts rows of a throwaway database back. */
export async function restoreOn(address: string): Promise<RestoreConnection> {
  const client = new pg.Client({ connectionString: readAddress(address).plain, connectionTimeoutMillis: 5_000 });
  await client.connect();
  const isFree = await leavesReferencesAlone(client);
  // A client of one connection sends one statement after the other.
  const rows = async (sql: string): Promise<unknown[][]> =>
    (await client.query<unknown[]>({ text: sql, rowMode: 'array' })).rows;
  return {
    isFree,
    async tables() {
      const found = await rows(TABLES);
      return found.map(([name, key]) => ({ name: String(name), key: key as string[] }));
    },
    watch: watchOf,
    async run(script) {
      const references = isFree ? LEFT_ALONE : 'SET CONSTRAINTS ALL DEFERRED';
      try {
        await client.query(`BEGIN; SET LOCAL synchronous_commit = off; ${references};\n${script};\nCOMMIT`);
      } catch (error) {
        await client.query('ROLLBACK');
        throw error;
      }
    },
    names: async (query) => (await rows(query)).map(([name]) => String(name)),
    close: () => client.end(),
  };
}

/** Tables with the columns of their keys; a row of a table without a key is known by all of itself. */
const TABLES = `SELECT c.relname, (
  SELECT array_agg(a.attname::text ORDER BY a.attnum) FROM pg_attribute a
  WHERE a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped AND (i.indkey IS NULL OR a.attnum = ANY (i.indkey))
) FROM pg_class c LEFT JOIN pg_index i ON i.indrelid = c.oid AND i.indisprimary
WHERE c.relnamespace = current_schema()::regnamespace AND c.relkind IN ('r', 'p')`;

const LEFT_ALONE = "SET LOCAL session_replication_role = 'replica'";

/** Only a superuser may leave references alone. Others put them off, until all tables are filled again. */
async function leavesReferencesAlone(client: pg.Client): Promise<boolean> {
  try {
    await client.query(`BEGIN; ${LEFT_ALONE}; COMMIT`);
    return true;
  } catch {
    await client.query('ROLLBACK');
    await client.query(DEFERRABLE);
    return false;
  }
}

const DEFERRABLE = `DO $$ DECLARE one record; BEGIN
  FOR one IN SELECT conrelid::regclass AS relation, conname FROM pg_constraint WHERE contype = 'f' LOOP
    EXECUTE format('ALTER TABLE %s ALTER CONSTRAINT %I DEFERRABLE INITIALLY IMMEDIATE', one.relation, one.conname);
  END LOOP;
END $$`;

function watchOf({ name, key }: CopiedTable, into: string): string {
  const values = (row: 'OLD' | 'NEW'): string => key.map((column) => `${row}.${quoteName(column)}`).join(', ');
  const note = (row: 'OLD' | 'NEW'): string => `INSERT INTO ${quoteName(into)} VALUES (${values(row)});`;
  const [code, trigger] = [`note_${into}`, `note_${into}`].map(quoteName);
  return [
    `CREATE FUNCTION ${code}() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN
      IF TG_OP <> 'INSERT' THEN ${note('OLD')} END IF;
      IF TG_OP <> 'DELETE' THEN ${note('NEW')} END IF;
      RETURN NULL;
    END $$`,
    `CREATE TRIGGER ${trigger} AFTER INSERT OR UPDATE OR DELETE ON ${quoteName(name)}
      FOR EACH ROW EXECUTE FUNCTION ${code}()`,
  ].join(';\n');
}
