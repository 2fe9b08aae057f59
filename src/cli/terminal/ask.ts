import { createInterface } from 'node:readline/promises';
import { EXIT, Failure } from '../../project/failure.ts';
import type { Context } from '../command.ts';

/** Asks a question that is answered with yes or no. Where nobody can be asked, `otherwise` tells the way out. */
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
