import type { Source } from '../core/declaration/document.ts';
import { isError } from '../core/declaration/problem.ts';
import type { Problem } from '../core/declaration/problem.ts';
import { EXIT } from '../project/failure.ts';
import type { SoundProject } from '../project/project.ts';
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
    const { allEndpoints } = await import('../core/api/endpoints.ts');
    const project = readProject(folder);
    const { graph } = project;
    let { problems, sources } = project;
    if (graph !== undefined) {
      const { loadCode } = await import('../project/code.ts');
      const scenarios = await scenariosIn({ ...project, graph });
      problems = [...problems, ...(await loadCode({ ...project, graph })).problems, ...scenarios.problems];
      sources = [...sources, ...scenarios.sources];
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

/** The problems of the scenarios that can be found without a database: it has only the handles of samples. */
async function scenariosIn({
  folder,
  graph,
}: SoundProject): Promise<{ problems: readonly Problem[]; sources: readonly Source[] }> {
  const { readTrialFiles } = await import('../project/read.ts');
  const sources = readTrialFiles(folder);
  if (sources.length === 0) return { problems: [], sources };
  const { readScenarios } = await import('../core/trial/scenarios.ts');
  const { readSamples } = await import('../core/samples/read.ts');
  const { readSampleFiles } = await import('../project/samples.ts');
  const { rows } = readSamples(graph, readSampleFiles(folder, graph).sources);
  const handles = new Map(rows.map(({ model, handle }) => [`${model.name}/${handle}`, handle]));
  return { problems: readScenarios(graph, sources, handles).problems, sources };
}
