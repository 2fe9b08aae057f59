import type { Source } from '../core/declaration/declared.ts';
import { isError } from '../core/declaration/problem.ts';
import type { Problem } from '../core/declaration/problem.ts';
import type { SampleRow } from '../core/samples/read.ts';
import { EXIT, Failure } from '../project/failure.ts';
import type { Project, SoundProject } from '../project/project.ts';
import type { Command } from './command.ts';
import { counted } from './terminal/terminal.ts';
import type { Terminal } from './terminal/terminal.ts';

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
    const project = await compared(readProject(folder), terminal);
    const { graph } = project;
    let problems: readonly Problem<string>[] = project.problems;
    let { sources } = project;
    if (graph !== undefined) {
      const { loadCode } = await import('../project/code.ts');
      const samples = await samplesIn({ ...project, graph });
      const scenarios = await scenariosIn({ ...project, graph }, samples.rows);
      const { problems: ofCode } = await loadCode({ ...project, graph });
      problems = [...problems, ...ofCode, ...samples.problems, ...scenarios.problems];
      sources = [...sources, ...samples.sources, ...scenarios.sources];
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

/** Where the tables were there already, the project as it fits them. */
async function compared(project: Project, terminal: Terminal): Promise<Project> {
  if (project.graph?.service.isTheirs !== true) return project;
  const { fittedProject } = await import('../project/fitted.ts');
  try {
    return await fittedProject(project as SoundProject);
  } catch (error) {
    if (!(error instanceof Failure)) throw error;
    terminal.warn(`the models were not compared with the database: ${error.message}`);
    return project;
  }
}

/** The samples, with the problems that show without a database. Long files are read when they are loaded. */
async function samplesIn({ folder, graph }: SoundProject): Promise<{
  rows: readonly SampleRow[];
  problems: readonly Problem<string>[];
  sources: readonly Source[];
}> {
  const { sampleFiles } = await import('../project/read.ts');
  if (sampleFiles(folder).length === 0) return { rows: [], problems: [], sources: [] };
  const { readSampleFiles } = await import('../project/samples.ts');
  const { readSamples } = await import('../core/samples/read.ts');
  const { checkSamples } = await import('../core/samples/check.ts');
  const { sources, streams } = readSampleFiles(folder, graph);
  const { rows, problems } = readSamples(graph, sources);
  const broken = problems.length > 0 || streams.length > 0 ? [] : await checkSamples(graph, rows, new Date());
  return { rows, problems: [...problems, ...broken], sources };
}

/** The problems of the scenarios that can be found without a database: it has only the handles of samples. */
async function scenariosIn(
  { folder, graph }: SoundProject,
  rows: readonly SampleRow[],
): Promise<{ problems: readonly Problem[]; sources: readonly Source[] }> {
  const { readTrialFiles } = await import('../project/read.ts');
  const sources = readTrialFiles(folder);
  if (sources.length === 0) return { problems: [], sources };
  const { readScenarios } = await import('../core/trial/scenarios.ts');
  const handles = new Map(rows.map(({ model, handle }) => [`${model.name}/${handle}`, handle]));
  return { problems: readScenarios(graph, sources, handles).problems, sources };
}
