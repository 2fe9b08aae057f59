import { EXIT, Failure } from '../project/failure.ts';
import { readProject } from '../project/project.ts';
import type { SoundProject } from '../project/project.ts';
import type { Context } from './command.ts';

/** The project in a folder; where its declarations have errors, they are shown and the command ends. */
export async function soundProject({ folder, terminal }: Context): Promise<SoundProject> {
  const project = readProject(folder);
  if (project.graph !== undefined) return project as SoundProject;
  const { problemsText } = await import('./terminal/problems.ts');
  terminal.warn(problemsText(project.problems, project.sources, terminal.tint));
  throw new Failure(EXIT.foundWrong, 'the declarations have errors', 'mend them; vantfell check shows them again');
}
