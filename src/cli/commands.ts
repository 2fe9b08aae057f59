import { add } from './add.ts';
import { adoptCommand } from './adopt.ts';
import { backup } from './backup.ts';
import { check } from './check.ts';
import type { Command } from './command.ts';
import { completion } from './completion.ts';
import { demo } from './demo.ts';
import { explain } from './explain.ts';
import { exportCommand } from './export.ts';
import { grant } from './grant.ts';
import { migrate } from './migrate.ts';
import { newCommand } from './new.ts';
import { outline } from './outline.ts';
import { seed } from './seed.ts';
import { send } from './send.ts';
import { serve } from './serve.ts';
import { token } from './token.ts';
import { trial } from './trial.ts';

/** In the order in which somebody meets them. */
export const COMMANDS: readonly Command[] = [
  newCommand,
  demo,
  add,
  adoptCommand,
  check,
  outline,
  serve,
  send,
  explain,
  token,
  grant,
  migrate,
  seed,
  backup,
  trial,
  exportCommand,
  completion,
];

/** The options of every command: name, what it does, and its value where it takes one. */
export const GLOBAL_OPTIONS = [
  { name: 'C', value: 'folder', about: 'the folder of the project; left out: this one' },
  { name: 'json', about: 'one JSON value on standard output' },
  { name: 'yes', about: 'yes to every question' },
  { name: 'quiet', about: 'results and errors alone' },
  { name: 'no-color', about: 'no colour on a terminal' },
  { name: 'debug', about: 'the stack trace of an inner defect' },
] as const satisfies readonly { name: string; value?: string; about: string }[];
