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

/**
 * Tables with the columns of their keys, which may be a unique index; a row of a table without one is known by all of
 * itself that has an order and is never null: null equals nothing.
 */
const TABLES = `SELECT c.relname, (
  SELECT coalesce(
    array_agg(a.attname::text ORDER BY a.attnum) FILTER (
      WHERE CASE WHEN i.indkey IS NULL THEN a.attnotnull ELSE a.attnum = ANY (i.indkey) END
    ),
    array_agg(a.attname::text ORDER BY a.attnum)
  ) FROM pg_attribute a WHERE a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped
    AND a.atttypid NOT IN ('json'::regtype, 'xml'::regtype, 'point'::regtype, 'box'::regtype, 'polygon'::regtype)
) FROM pg_class c LEFT JOIN LATERAL (
  SELECT u.indkey FROM pg_index u WHERE u.indrelid = c.oid AND u.indisunique AND u.indpred IS NULL
    AND NOT EXISTS (
      SELECT 1 FROM unnest(u.indkey) AS k LEFT JOIN pg_attribute n ON n.attrelid = c.oid AND n.attnum = k
      WHERE n.attnotnull IS NOT TRUE
    )
  ORDER BY u.indisprimary DESC, u.indexrelid LIMIT 1
) i ON true
WHERE c.relnamespace = quote_ident(current_schema())::regnamespace AND c.relkind IN ('r', 'p')`;

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
