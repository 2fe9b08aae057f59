import { writeFileSync } from 'node:fs';
import type { Graph } from '../core/model/graph.ts';
import { EXIT, Failure } from '../project/failure.ts';
import type { Command } from './command.ts';

export const exportCommand: Command = {
  usage: 'export <what>',
  about: 'Write a file for others: the OpenAPI 3.1 document, or the types of the models',
  examples: [
    ['vantfell export openapi', 'the document on standard output'],
    ['vantfell export openapi --out openapi.json', 'into a file'],
    ['vantfell export types --out code/types.d.ts', "TypeScript's view of the models, for those who write code/"],
  ],
  options: (yargs) =>
    yargs
      .positional('what', { describe: 'what to write', choices: ['openapi', 'types'] as const })
      .option('out', { type: 'string', requiresArg: true, describe: 'the file to write; left out: standard output' }),

  async run(context, { what, out }) {
    const { soundProject } = await import('./sound-project.ts');
    const { graph } = await soundProject(context);
    const text = await (what === 'types' ? types(graph) : openapi(graph));
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

async function openapi(graph: Graph): Promise<string> {
  const { openApi } = await import('../core/document/openapi.ts');
  return `${JSON.stringify(openApi(graph), null, 2)}\n`;
}

async function types(graph: Graph): Promise<string> {
  const { typeDeclarations } = await import('../core/document/types.ts');
  return typeDeclarations(graph);
}
