import { kindOfAddress } from '../core/model/service.ts';
import { EXIT, Failure } from '../project/failure.ts';
import type { Command } from './command.ts';

export const backup: Command = {
  usage: 'backup <file>',
  about: 'Copy the database into a file, also while it is served',
  examples: [
    ['vantfell backup fell-huts-monday.db', 'a whole database of its own, as it was at one moment'],
    ['vantfell backup "/srv/backups/$(date +%F).db" --quiet', 'every night'],
  ],
  options: (yargs) =>
    yargs.positional('file', { type: 'string', demandOption: true, describe: 'where to; there must be none yet' }),

  async run(context, { file }) {
    const { existsSync, statSync } = await import('node:fs');
    const { resolve } = await import('node:path');
    const { soundProject } = await import('./load-project.ts');
    const { isFile, storeAddress } = await import('../project/project.ts');
    const { told } = await import('../project/database.ts');
    const { shownPath } = await import('../project/shown-path.ts');
    const { copyDatabase } = await import('../store/sqlite/copy.ts');
    const { unwritable } = await import('./files.ts');
    const address = storeAddress(await soundProject(context));
    if (!isFile(address)) {
      if (kindOfAddress(address) === 'mariadb') throw ofMariadb(address);
      const { hostAddresses } = await import('../store/postgres/address.ts');
      throw ofPostgres(hostAddresses(address)[0]!);
    }
    const to = resolve(String(file));
    const shown = shownPath(to);
    const another = 'name another file';
    if (existsSync(to)) throw new Failure(EXIT.options, `there is a file ${shown} already`, another);
    try {
      copyDatabase(address.slice('sqlite:'.length), to);
    } catch (error) {
      const { code } = error as NodeJS.ErrnoException;
      throw code !== undefined && /^E[A-Z]+$/.test(code) ? unwritable(shown, error, another) : told(error, address);
    }
    const bytes = statSync(to).size;
    context.terminal.value({ file: to, bytes });
    context.terminal.say(`wrote ${shown}: the whole database, ${sizeText(bytes)}, checked`);
    return EXIT.done;
  },
};

const ofPostgres = (address: string): Failure =>
  new Failure(
    EXIT.foundWrong,
    'PostgreSQL has a tool of its own for this',
    `pg_dump --format=custom --file=FILE ${connectionWords(address, '--username')}`,
  );

const ofMariadb = (address: string): Failure =>
  new Failure(
    EXIT.foundWrong,
    'MariaDB has a tool of its own for this',
    `mariadb-dump --single-transaction --result-file=FILE ${connectionWords(address, '--user')}`,
  );

function connectionWords(address: string, user: string): string {
  const { username, hostname, port, pathname } = new URL(address);
  const words = [
    ...(hostname === '' ? [] : [`--host=${hostname}`]),
    ...(port === '' ? [] : [`--port=${port}`]),
    ...(username === '' ? [] : [`${user}=${username}`]),
  ];
  return [...words, pathname.slice(1)].join(' ');
}

const sizeText = (bytes: number): string =>
  bytes < 1_000_000 ? `${Math.ceil(bytes / 1_000)} kB` : `${(bytes / 1_000_000).toFixed(1)} MB`;
