import { writeFileSync } from 'node:fs';
import { EXIT, Failure } from '../project/failure.ts';
import type { Command } from './command.ts';

export const exportCommand: Command = {
  usage: 'export <what>',
  about: 'Write a file for others: openapi, the OpenAPI 3.1 document',
  examples: [
    ['vantfell export openapi', 'the document on standard output'],
    ['vantfell export openapi --out openapi.json', 'into a file'],
  ],
  options: (yargs) =>
    yargs
      .positional('what', { describe: 'what to write', choices: ['openapi'] as const })
      .option('out', { type: 'string', requiresArg: true, describe: 'the file to write; left out: standard output' }),

  async run(context, { out }) {
    const { soundProject } = await import('./sound-project.ts');
    const { openApi } = await import('../core/document/openapi.ts');
    const { graph } = await soundProject(context);
    const text = `${JSON.stringify(openApi(graph), null, 2)}\n`;
    if (typeof out !== 'string') {
      process.stdout.write(text);
      return EXIT.done;
    }
    try {
      writeFileSync(out, text);
    } catch (error) {
      throw new Failure(
        EXIT.surroundings,
        `${out} can not be written: ${(error as Error).message}`,
        'name another with --out',
      );
    }
    context.terminal.value({ written: out });
    context.terminal.say(`wrote ${out}`);
    return EXIT.done;
  },
};
