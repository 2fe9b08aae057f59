import { checkShape } from './declaration/check-shape.ts';
import { readDocuments } from './declaration/document.ts';
import type { Source } from './declaration/document.ts';
import { withEnvironment } from './declaration/environment.ts';
import { modelShape } from './declaration/model-shape.ts';
import { byPlace, isError } from './declaration/problem.ts';
import type { Problem } from './declaration/problem.ts';
import { serviceShape } from './declaration/service-shape.ts';
import type { ModelDeclaration } from './model/declarations.ts';
import type { Graph, ServiceSettings } from './model/graph.ts';
import { resolve } from './model/resolve.ts';
import type { DeclaredModel } from './model/resolve.ts';
import { serviceSettings } from './model/service-settings.ts';
import type { ServiceDeclaration } from './model/service-settings.ts';
import { checkConstants } from './rules/check-constants.ts';

/** The texts of a project's declarations, as they were read. */
export interface ProjectSources {
  /** `vantfell.yaml`. */
  readonly service: Source;
  /** `models/*.yaml`. */
  readonly models: readonly Source[];
  readonly environment: Readonly<Record<string, string | undefined>>;
}

export interface Compiled {
  /** Undefined where there are errors among the problems. */
  readonly graph?: Graph;
  readonly problems: readonly Problem[];
}

/** Turns declarations into the model graph. Everything that is wrong with them is told at once, sorted by place. */
export function compile(sources: ProjectSources): Compiled {
  const problems: Problem[] = [];
  const service = compileService(sources, problems);
  const models = sources.models.flatMap((source) => compileModels(source, problems));
  if (sources.models.length === 0) {
    problems.push(atStart(sources.service, 'no-models', 'this project has no models', 'write one, as models/hut.yaml'));
  }
  const resolved = resolve(service, models);
  problems.push(...resolved.problems, ...checkConstants(resolved.graph, models));
  problems.sort(byPlace);
  return problems.some(isError) ? { problems } : { graph: resolved.graph, problems };
}

function compileService(sources: ProjectSources, problems: Problem[]): ServiceSettings {
  const read = readDocuments(sources.service);
  problems.push(...read.problems);
  const document = read.documents[0];
  if (document === undefined) {
    const remedy = 'begin with service: { name: … }';
    if (read.problems.length === 0)
      problems.push(atStart(sources.service, 'missing-key', 'this file is empty', remedy));
    return serviceSettings({}, (path) => read.documents[0]!.at(path)).service;
  }
  const filled = withEnvironment(document, sources.environment);
  const held = checkShape(filled.declared, serviceShape);
  const settings = serviceSettings(held.sound as ServiceDeclaration, document.at);
  problems.push(...filled.problems, ...held.problems, ...settings.problems);
  return settings.service;
}

function compileModels(source: Source, problems: Problem[]): DeclaredModel[] {
  const read = readDocuments(source);
  problems.push(...read.problems);
  return read.documents.flatMap((document) => {
    const held = checkShape(document, modelShape);
    problems.push(...held.problems);
    const declaration = held.sound as Partial<ModelDeclaration> | undefined;
    return declaration?.model === undefined ? [] : [{ declaration: declaration as ModelDeclaration, document }];
  });
}

function atStart({ file }: Source, code: string, message: string, remedy: string): Problem {
  const place = { file, line: 1, column: 1, endLine: 1, endColumn: 2 };
  return { code, severity: 'error', message, remedy, place };
}
