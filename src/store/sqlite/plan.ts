import type { Row, Statement, StoreValue } from '../../core/sql/statement.ts';
import type { Store } from '../../core/store/contract.ts';
import type { Plan, PlanStep } from '../base/plan.ts';
import { connect } from './connect.ts';
import { readerOf } from './connected.ts';

/** SQLite plans large and small tables alike: it counts no rows unless it is asked to. */
export async function planOf(store: Store, { sql }: Statement, values: readonly StoreValue[]): Promise<Plan> {
  const rows = explained(store.address, sql, values);
  const steps = rows.map(([, , , detail]) => stepOf(String(detail)));
  const named = await tableNames(store, sql);
  const real = steps.map((step): PlanStep => {
    if (step.table === undefined) return step;
    const { table, ...rest } = step;
    const known = named(table);
    // What SQLite makes up on the way isn't a table that anybody could give an index.
    if (known === undefined) return { ...rest, way: 'other', text: 'what was found before' };
    // A record that is only meant to be borrows its columns from a table of which it reads nothing.
    if (step.way === 'scan' && sql.includes(`"${known}" WHERE 1 = 0`)) return { ...rest, way: 'other' };
    return { ...step, table: known, text: step.text.replace(table, known) };
  });
  return { now: real, large: real };
}

/**
 * On a connection of its own: an EXPLAIN that was read to its end still counts as a reader, and would have others on
 * its connection see the database as it is now for as long as nobody has thrown it away.
 */
function explained(address: string, sql: string, values: readonly StoreValue[]): readonly Row[] {
  const connection = connect(address.slice('sqlite:'.length), true);
  try {
    return readerOf(connection).all({ sql: `EXPLAIN QUERY PLAN ${sql}` }, values);
  } finally {
    connection.close();
  }
}

/** Which table a name in a statement stands for: itself, or the one whose alias it is. */
async function tableNames(store: Store, sql: string): Promise<(name: string) => string | undefined> {
  const tables = new Set((await store.all(TABLES, [])).map(([name]) => String(name)));
  const aliases = new Map([...sql.matchAll(/"([^"]+)" AS "?([@\w]+)"?/g)].map(([, table, alias]) => [alias!, table!]));
  return (name) => [name, aliases.get(name) ?? ''].find((one) => tables.has(one));
}

const TABLES: Statement = { sql: "SELECT name FROM sqlite_schema WHERE type = 'table'" };

function stepOf(detail: string): PlanStep {
  const [, way, table, rest = ''] =
    /^(SEARCH|SCAN) (.+?)(?: ((?:USING|LEFT-JOIN|VIRTUAL|CONSTANT) ?.*))?$/.exec(detail) ?? [];
  if (way !== undefined && table !== undefined) {
    const [, index, found = ''] = /USING (?:COVERING )?INDEX (.+?)(?: (\(.*\)))?$/.exec(rest) ?? [];
    if (index?.startsWith('sqlite_autoindex_'))
      return { way: 'index', table, text: `${table}: by key ${found}`.trim() };
    if (index !== undefined) {
      const text =
        way === 'SEARCH' ? `${table}: by index ${index} ${found}` : `${table}: in the order of index ${index}`;
      return { way: 'index', table, text: text.trim() };
    }
    if (way === 'SEARCH')
      return { way: 'index', table, text: `${table}: by key ${/\(.*\)/.exec(rest)?.[0] ?? ''}`.trim() };
    return { way: 'scan', table, text: `${table}: every row` };
  }
  const [, clause] = /^USE TEMP B-TREE FOR (.+)$/.exec(detail) ?? [];
  if (clause !== undefined) return { way: 'sort', text: `sorts for ${clause}` };
  return { way: 'other', text: detail.toLowerCase() };
}
