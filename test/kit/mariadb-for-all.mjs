import { hasMariadb, sharedMariadb } from './mariadb.mjs';

let server;

/** One MariaDB for all the tests of a run, wherever there is one: it takes longer to start than most tests. */
export default async function start() {
  if (!hasMariadb) return console.warn('MariaDB was not found on this machine, and is not tried');
  server = await sharedMariadb();
  process.env.VANTFELL_TEST_MARIADB = server.url;
}

export const stop = () => server?.stop();
