import type { Command } from './command.ts';

export const adoptCommand: Command = {
  usage: 'adopt <store> [folder]',
  about: 'Write models that mirror a database which is there already, to serve it as it is',
  examples: [
    ['vantfell adopt sqlite:./shop.db shop', 'in a new folder; the file stays where it is'],
    ["vantfell adopt postgres://app@host/shop shop --only 'order*,customer'", 'some of its tables'],
    ['vantfell adopt postgres://app@host/shop --into shop', 'what is new in the database, for a project that is there'],
  ],
  options: (yargs) =>
    yargs
      .positional('store', { type: 'string', demandOption: true, describe: 'the address of the database' })
      .positional('folder', { type: 'string', describe: 'where to make the project: an empty or a new folder' })
      .option('only', { type: 'string', requiresArg: true, describe: "the tables to take: 'order*,customer'" })
      .option('except', { type: 'string', requiresArg: true, describe: 'the tables to leave out' })
      .option('schema', {
        type: 'string',
        requiresArg: true,
        describe: 'the schema, on PostgreSQL; public if left out',
      })
      .option('into', { type: 'string', requiresArg: true, describe: 'a project that gets models of what is new' }),

  async run(context, { store, folder, only, except, schema, into }) {
    const { adoptDatabase } = await import('./adopt/adopt-database.ts');
    return adoptDatabase(context, {
      address: String(store),
      folder: folder as string | undefined,
      only: only as string | undefined,
      except: except as string | undefined,
      schema: schema as string | undefined,
      into: into as string | undefined,
    });
  },
};
