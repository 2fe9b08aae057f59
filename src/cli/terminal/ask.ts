import { createInterface } from 'node:readline/promises';
import { EXIT, Failure } from '../../project/failure.ts';
import type { Context } from '../command.ts';

/** Asks a question that is answered with yes or no. Where nobody can answer, `otherwise` is the remedy. */
export async function confirm({ yes, terminal }: Context, question: string, otherwise: string): Promise<boolean> {
  if (yes) return true;
  if (!process.stdin.isTTY || !process.stderr.isTTY) throw new Failure(EXIT.wrongCommand, question, otherwise);
  terminal.progress('');
  const lines = createInterface({ input: process.stdin, output: process.stderr });
  try {
    for (;;) {
      const answer = (await lines.question(`${terminal.tint.bold(question)} yes or no: `)).trim().toLowerCase();
      if (answer === 'y' || answer === 'yes') return true;
      if (answer === 'n' || answer === 'no') return false;
    }
  } finally {
    lines.close();
  }
}

/**
 * Asks for lines until an empty one. `take` accepts a line, or returns what is wrong with it; then it asks again.
 * Where nobody can answer, `otherwise` is the remedy.
 */
export async function askLines(
  { terminal }: Context,
  hint: string,
  what: string,
  otherwise: string,
  take: (line: string) => string | undefined,
): Promise<void> {
  if (!process.stdin.isTTY || !process.stderr.isTTY)
    throw new Failure(EXIT.wrongCommand, `${what} are missing`, otherwise);
  terminal.warn(hint);
  const lines = createInterface({ input: process.stdin, output: process.stderr });
  // The end of the input (Ctrl+D) is the end of the lines, too.
  const ended = new Promise<string>((resolve) => lines.on('close', () => resolve('')));
  try {
    for (let count = 1; ;) {
      const line = await Promise.race([lines.question(terminal.tint.bold(`field ${count}: `)), ended]);
      if (line.trim() === '') return;
      const wrong = take(line);
      if (wrong === undefined) count += 1;
      else terminal.warn(`  ${terminal.tint.red(wrong)}`);
    }
  } finally {
    lines.close();
  }
}
