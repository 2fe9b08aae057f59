import { withoutPassword } from '../../core/text/without-password.ts';
import { readAddress } from './address.ts';
import { command } from './ask.ts';
import { COLLATION } from './bound.ts';
import { connected } from './connected.ts';
import { storeError } from './errors.ts';
import { settingsOf } from './pools.ts';

/** How a database orders letters that is made for the tool. */
export const DATABASE = `CHARACTER SET utf8mb4 COLLATE ${COLLATION}`;

/** Runs one statement on databases, over a connection of its own. */
export async function administer(address: string, statement: string): Promise<void> {
  try {
    const client = await connected(settingsOf(readAddress(address), []));
    try {
      await command(client, statement);
    } finally {
      client.destroy();
    }
  } catch (error) {
    throw storeError(error, withoutPassword(address));
  }
}
