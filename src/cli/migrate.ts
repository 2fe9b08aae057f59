import { EXIT, Failure } from '../project/failure.ts';
import type { Arguments, Command } from './command.ts';

/** Which options go with which of its words. */
const OPTIONS = new Map<string, readonly string[]>(
  Object.entries({
    draft: ['rename', 'drop', 'fill', 'name', 'sql', 'two-steps'],
    run: ['from-empty', 'samples', 'all'],
    undo: ['last', 'all'],
    status: [],
    own: [],
  }),
);

export const migrate: Command = {
  usage: 'migrate <what>',
  about: 'Keep the database in step with the models: draft, run, undo, status, own',
  examples: [
    ['vantfell migrate draft', 'what has changed in the models, written as a migration'],
    ['vantfell migrate draft --rename hut.altitude=hut.altitude_m', 'a new name, with the values kept'],
    [
      'vantfell migrate draft --fill hut.valley=Askdal',
      'a value for rows that have none, or one that breaks a new rule',
    ],
    ['vantfell migrate draft --two-steps', 'so that services of the version before can go on meanwhile'],
    ['vantfell migrate run', 'what has not run'],
    ['vantfell migrate undo --last 2', 'back again'],
    ['vantfell migrate own', "the tool's own tables, in a database that was there already"],
  ],
  options: (yargs) =>
    yargs
      .positional('what', { describe: 'draft, run, undo, status or own', choices: [...OPTIONS.keys()] })
      .option('rename', {
        type: 'string',
        array: true,
        nargs: 1,
        describe: 'draft: old=new, of a model, a field or a relation',
      })
      .option('drop', {
        type: 'string',
        array: true,
        nargs: 1,
        describe: 'draft: what is gone, whatever looks like it',
      })
      .option('fill', {
        type: 'string',
        array: true,
        nargs: 1,
        describe: 'draft: model.field=value, for rows without a good one',
      })
      .option('name', { type: 'string', requiresArg: true, describe: 'draft: the name of the migration' })
      .option('sql', { type: 'boolean', describe: 'draft: show the statements too' })
      .option('two-steps', { type: 'boolean', describe: 'draft: so that services of the version before can go on' })
      .option('from-empty', { type: 'boolean', describe: 'run: drop all tables first, and start over' })
      .option('samples', { type: 'boolean', describe: 'run: load the samples afterwards' })
      .option('last', {
        type: 'number',
        requiresArg: true,
        describe: 'undo: so many migrations; left out: the last batch',
      })
      .option('all', { type: 'boolean', describe: 'run: second steps too; undo: every migration' }),

  async run(context, given) {
    const what = String(given.what);
    refuseForeign(what, given);
    switch (what) {
      case 'draft':
        return (await import('./migrate/draft.ts')).draft(context, given);
      case 'run':
        return (await import('./migrate/run.ts')).run(context, given);
      case 'undo':
        return (await import('./migrate/undo.ts')).undo(context, given);
      case 'own':
        return (await import('./migrate/own.ts')).own(context);
      default:
        return (await import('./migrate/status.ts')).status(context);
    }
  },
};

function refuseForeign(what: string, given: Arguments): void {
  const own = OPTIONS.get(what) ?? [];
  for (const [word, options] of OPTIONS) {
    const option = options.find((name) => given[name] !== undefined && !own.includes(name));
    if (option === undefined) continue;
    throw new Failure(
      EXIT.wrongCommand,
      `--${option} goes with migrate ${word}`,
      `vantfell migrate ${what} takes no --${option}`,
    );
  }
}
