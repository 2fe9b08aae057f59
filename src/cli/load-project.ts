import type { Code } from '../core/change/code.ts';
import { EXIT, Failure } from '../project/failure.ts';
import { readProject } from '../project/project.ts';
import type { SoundProject } from '../project/project.ts';
import type { Context } from './command.ts';

/** A project whose code is loaded. */
export type LoadedProject = SoundProject & { readonly loaded: Code };

/** The project in a folder with its code; where either has errors, they are shown and the command ends. */
export async function loadProject(context: Context): Promise<LoadedProject> {
  const project = await soundProject(context, true);
  const { loadCode } = await import('../project/code.ts');
  const { code, problems } = await loadCode(project);
  if (problems.length > 0) {
    const { problemsText } = await import('./terminal/problems.ts');
    context.terminal.warn(problemsText(problems, project.sources, context.terminal.tint));
    throw new Failure(
      EXIT.foundWrong,
      'the code of the project has errors',
      'mend them; vantfell check shows them again',
    );
  }
  return { ...project, loaded: code };
}

/**
 * The project in a folder; where its declarations have errors, they are shown and the command ends. What has nothing to
 * do with its code doesn't ask for it either.
 */
export async function soundProject({ folder, terminal }: Context, withCode = false): Promise<SoundProject> {
  const project = readProject(folder, withCode);
  if (project.graph !== undefined) return project as SoundProject;
  const { problemsText } = await import('./terminal/problems.ts');
  terminal.warn(problemsText(project.problems, project.sources, terminal.tint));
  throw new Failure(EXIT.foundWrong, 'the declarations have errors', 'mend them; vantfell check shows them again');
}
