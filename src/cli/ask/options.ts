import type { Argv } from 'yargs';

/** The words that a request is written with. */
export const requestOptions = (yargs: Argv): Argv =>
  yargs
    .positional('method', { type: 'string', demandOption: true, describe: 'GET, POST, PUT, PATCH or DELETE' })
    .positional('path', { type: 'string', demandOption: true, describe: 'the path, with its query' })
    .positional('body', { type: 'string', describe: 'JSON; - reads it from standard input' })
    .option('as', { type: 'string', requiresArg: true, describe: 'who asks: a sample, a login, or a key' });
