import pg from 'pg';
import { withoutPassword } from '../../core/text/without-password.ts';
import { readAddress } from './address.ts';
import { storeError } from './errors.ts';

/** Runs one statement that can't be in a transaction, over a connection of its own. */
export async function administer(address: string, statement: string): Promise<void> {
  const client = new pg.Client({ connectionString: readAddress(address).plain, connectionTimeoutMillis: 5_000 });
  try {
    await client.connect();
    await client.query(statement);
  } catch (error) {
    throw storeError(error, withoutPassword(address));
  } finally {
    await client.end();
  }
}
