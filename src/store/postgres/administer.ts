import pg from 'pg';
import { storeError } from './errors.ts';
import { withoutPassword } from './open.ts';

/** Runs one statement that can't be in a transaction, over a connection of its own. */
export async function administer(address: string, statement: string): Promise<void> {
  const client = new pg.Client({ connectionString: address, connectionTimeoutMillis: 5_000 });
  try {
    await client.connect();
    await client.query(statement);
  } catch (error) {
    throw storeError(error, withoutPassword(address));
  } finally {
    await client.end();
  }
}
