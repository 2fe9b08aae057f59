import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { openTrial } from '../../src/cli/trial/open-trial.ts';
import { runCases } from '../../src/cli/trial/run-cases.ts';
import { failedOf } from '../../src/core/trial/report/outcome.ts';
import type { Outcome } from '../../src/core/trial/report/outcome.ts';
import { soundCode } from '../../src/project/code.ts';
import { openDatabase } from '../../src/project/database.ts';
import { readProject } from '../../src/project/project.ts';
import type { SoundProject } from '../../src/project/project.ts';
import { isError } from '../../src/core/declaration/problem.ts';

/** What came of the derived cases of a project. */
export interface TriedProject {
  readonly outcomes: readonly Outcome[];
  readonly skipped: number;
  /** In words, what failed. */
  readonly failures: readonly string[];
  readonly defects: readonly unknown[];
}

/** Writes a project into a folder of its own. */
export function writeProject(files: Readonly<Record<string, string>>): string {
  const folder = mkdtempSync(join(tmpdir(), 'vantfell-random-'));
  for (const [name, text] of Object.entries(files)) {
    mkdirSync(dirname(join(folder, name)), { recursive: true });
    writeFileSync(join(folder, name), text);
  }
  return folder;
}

/** The errors that a check of a project finds. */
export function errorsIn(folder: string): string[] {
  const { problems } = readProject(folder);
  return problems.filter(isError).map(({ code, message }) => `${code}: ${message}`);
}

/** Tries the derived cases of a project without samples, for which records are made up; the database is its own. */
export async function tryProject(folder: string, database?: string): Promise<TriedProject> {
  const project = readProject(folder) as SoundProject;
  const address = database ?? `sqlite:${join(folder, 'trial.db')}`;
  const code = await soundCode(project);
  const { store } = await openDatabase(project, address);
  try {
    const trial = await openTrial(project, code, store, address);
    try {
      const outcomes = await runCases(trial.derived.cases, trial.tried, false, trial.snapshot);
      const failures = failedOf(outcomes).map(
        ({ case: { model, endpoint, title }, failure }) =>
          `${model}, ${endpoint}: ${title}: ${failure!.sent.method} ${failure!.sent.path} ` +
          `${JSON.stringify(failure!.sent.body)} ${JSON.stringify(failure!.faults)} ` +
          `${failure!.answer.status} ${JSON.stringify(failure!.answer.body)}`,
      );
      return { outcomes, skipped: trial.derived.skipped.length, failures, defects: trial.defects };
    } finally {
      await trial.close();
    }
  } finally {
    await store.close();
  }
}

export const dropProject = (folder: string): void => rmSync(folder, { recursive: true, force: true });
