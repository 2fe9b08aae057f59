import type { PoolClient } from 'pg';
import { allLetters } from '../../core/expression/letters.ts';
import { otherTables } from '../../core/store/contract.ts';
import { difference, stepInWords } from '../../core/tables/difference.ts';
import { lettersTable } from '../../core/tables/own-tables.ts';
import type { Table } from '../../core/tables/table.ts';
import { statementsOf } from './tables.ts';

/** Two programs that start at once on one database take turns. The number is this tool's own, and nothing else. */
const LOCK = 7_228_391;

/** Brings the database's tables to what the models want, inside a transaction, where that loses nothing. */
export async function follow(client: PoolClient, address: string, tables: readonly Table[]): Promise<string[]> {
  await client.query('SELECT pg_advisory_xact_lock($1)', [LOCK]);
  await client.query('CREATE TABLE IF NOT EXISTS vantfell_state (name text PRIMARY KEY, value text NOT NULL)');
  const found = await client.query<{ value: string }>("SELECT value FROM vantfell_state WHERE name = 'tables'");
  const before = found.rows[0]?.value ?? '[]';
  const standing = JSON.parse(before) as Table[];
  const { steps, obstacles } = difference(standing, tables);
  for (const step of steps) {
    if (step.kind !== 'create-table') continue;
    const taken = await client.query('SELECT to_regclass($1) IS NOT NULL AS taken', [`"${step.table.name}"`]);
    if (!(taken.rows[0] as { taken: boolean }).taken) continue;
    throw otherTables(address, [`the table ${step.table.name} is there already, and this tool did not make it`]);
  }
  if (obstacles.length > 0) throw otherTables(address, obstacles);
  for (const statement of statementsOf(steps)) await client.query(statement);
  if (steps.some((step) => step.kind === 'create-table' && step.table.name === lettersTable.name)) {
    const fill = `INSERT INTO ${lettersTable.name} SELECT * FROM json_populate_recordset(NULL::${lettersTable.name}, $1)`;
    await client.query(fill, [JSON.stringify([...allLetters().values()])]);
  }
  const left = standing.filter((old) => !tables.some((table) => table.name === old.name));
  const after = JSON.stringify([...tables, ...left]);
  if (after !== before) {
    await client.query(
      "INSERT INTO vantfell_state VALUES ('tables', $1) ON CONFLICT (name) DO UPDATE SET value = excluded.value",
      [after],
    );
  }
  return steps.map(stepInWords).filter((words) => words !== undefined);
}
