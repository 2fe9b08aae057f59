import { isError } from '../core/declaration/problem.ts';
import { EXIT } from '../project/failure.ts';
import type { Command } from './command.ts';
import { counted } from './terminal/terminal.ts';

export const check: Command = {
  usage: 'check',
  about: 'Read the declarations and report every problem',
  examples: [
    ['vantfell check', 'the project in this folder'],
    ['vantfell check -C huts --json', 'problems as JSON, for an editor or a script'],
  ],
  options: (yargs) => yargs,

  async run({ folder, terminal }) {
    const { readProject } = await import('../project/project.ts');
    const { allEndpoints } = await import('../core/http/endpoints.ts');
    const project = readProject(folder);
    const { graph, sources } = project;
    let { problems } = project;
    if (graph !== undefined) {
      const { loadCode } = await import('../project/code.ts');
      problems = [...problems, ...(await loadCode({ ...project, graph })).problems];
    }
    const isSound = graph !== undefined && !problems.some(isError);
    const endpoints = graph === undefined ? 0 : allEndpoints(graph).length;
    terminal.value({ sound: isSound, models: graph?.models.length ?? 0, endpoints, problems });
    if (problems.length > 0) {
      const { problemsText } = await import('./terminal/problems.ts');
      terminal.show(problemsText(problems, sources, terminal.paint));
    }
    if (!isSound) return EXIT.foundWrong;
    const made = `${counted(graph.models.length, 'model')}, ${counted(endpoints, 'endpoint')}`;
    terminal.show(`${terminal.paint.green('sound')}: ${graph.service.name}, ${made}`);
    return EXIT.done;
  },
};
