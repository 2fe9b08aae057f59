import type { Argv, ArgumentsCamelCase } from 'yargs';
import type { Terminal } from './terminal/terminal.ts';

/** What every command is given beside its own options. */
export interface Context {
  /** The project's folder. */
  readonly folder: string;
  readonly terminal: Terminal;
  /** Every question is answered with yes. */
  readonly yes: boolean;
  /** Results and errors alone. */
  readonly quiet: boolean;
  /** Whether errors show their stack trace. */
  readonly debug: boolean;
}

export type Arguments = ArgumentsCamelCase<Record<string, unknown>>;

/** One command, one file. Its module loads nothing heavy before it runs. */
export interface Command {
  /** Its name, and what it takes by its place: `demo [folder]`. */
  readonly usage: string;
  readonly about: string;
  readonly examples: readonly (readonly [string, string])[];
  options(yargs: Argv): Argv;
  /** The exit code. */
  run(context: Context, given: Arguments): Promise<number>;
}
