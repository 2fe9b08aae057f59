import type { Code } from '../core/change/code.ts';
import { EXIT, Failure } from '../project/failure.ts';
import { readProject } from '../project/project.ts';
import type { SoundProject } from '../project/project.ts';
import type { Context } from './command.ts';

/** A project whose code is loaded. */
export type LoadedProject = SoundProject & { readonly loaded: Code };

/**
 * The project in a folder with its code, to work on its database; where either has errors, or doesn't agree with the
 * database, that is shown and the command ends.
 */
export async function loadProject(context: Context): Promise<LoadedProject> {
  return withLoaded(context, await soundProject(context, { withCode: true, fitted: true }));
}

/** The same for databases of its own, whatever that of the project is like. */
export async function loadUnfitted(context: Context): Promise<LoadedProject> {
  return withLoaded(context, await soundProject(context, { withCode: true }));
}

async function withLoaded(context: Context, project: SoundProject): Promise<LoadedProject> {
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
export async function soundProject(
  { folder, terminal }: Context,
  { withCode = false, fitted = false }: { readonly withCode?: boolean; readonly fitted?: boolean } = {},
): Promise<SoundProject> {
  let project = readProject(folder, withCode);
  const { isTheirs = false, isTakenOver = false } = project.graph?.service ?? {};
  if (fitted && (isTheirs || isTakenOver)) {
    const { fittedProject } = await import('../project/fitted.ts');
    project = await fittedProject(project as SoundProject);
  }
  if (project.graph !== undefined) return project as SoundProject;
  const { problemsText } = await import('./terminal/problems.ts');
  terminal.warn(problemsText(project.problems, project.sources, terminal.tint));
  throw new Failure(EXIT.foundWrong, 'the declarations have errors', 'mend them; vantfell check shows them again');
}
