import { onStanding, takenOverCatalogue } from './database.ts';
import { readProject, storeAddress } from './project.ts';
import type { Project, SoundProject } from './project.ts';

/**
 * A project whose tables were there already, fitted to them: its fields know how they are stored, and where the models
 * and the database don't agree are problems. Any other project is as it was.
 */
export async function fittedProject(project: SoundProject): Promise<Project> {
  const { isTheirs, isTakenOver } = project.graph.service;
  if (!isTheirs && !isTakenOver) return project;
  const catalogue = isTakenOver
    ? await takenOverCatalogue(project)
    : await onStanding(storeAddress(project), (store) => store.catalogue(false));
  return readProject(project.folder, true, catalogue);
}
