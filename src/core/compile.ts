import { isOpen } from './access/open.ts';
import { checkShape } from './declaration/check-shape.ts';
import type { ModelDeclaration, ServiceDeclaration } from './declaration/declarations.ts';
import { readDocuments } from './declaration/document.ts';
import type { Declared, Source } from './declaration/declared.ts';
import { withEnvironment } from './declaration/environment.ts';
import { modelShape } from './declaration/model-shape.ts';
import type { ProblemCode } from './declaration/problem-codes.ts';
import { byPlace, isError } from './declaration/problem.ts';
import type { Place, Problem } from './declaration/problem.ts';
import { reporterOf } from './declaration/reporter.ts';
import type { Reporter } from './declaration/reporter.ts';
import { serviceShape } from './declaration/service-shape.ts';
import type { Graph } from './model/graph.ts';
import { checkConstants } from './resolve/check-constants.ts';
import { checkReveals } from './resolve/check-reveals.ts';
import { checkCode, codeFacts } from './resolve/code.ts';
import { checkNames } from './resolve/collisions.ts';
import type { DeclaredModel } from './resolve/model-draft.ts';
import { isRole } from './resolve/grants.ts';
import { resolve } from './resolve/resolve.ts';
import { checkFit, hasOwnTables } from './resolve/fit.ts';
import { serviceSettings } from './resolve/service-settings.ts';
import type { Catalogue } from './tables/catalogue.ts';

/** The texts of a project's declarations, as they were read. */
export interface ProjectSources {
  /** `vantfell.yaml`. */
  readonly service: Source;
  /** `models/*.yaml`. */
  readonly models: readonly Source[];
  /** The files directly in `code/`. Left out: code is not checked. */
  readonly code?: readonly Source[] | undefined;
  readonly environment: Readonly<Record<string, string | undefined>>;
  /** What a database that was there already says of itself, where the models are to serve that. */
  readonly catalogue?: Catalogue | undefined;
}

export interface Compiled {
  /** Undefined where there are errors among the problems. */
  readonly graph?: Graph;
  readonly problems: readonly Problem[];
}

/** Compiles declarations to the model graph, and reports all their problems, sorted by place. */
export function compile(sources: ProjectSources): Compiled {
  const problems: Problem[] = [];
  const { declaration, report } = readService(sources, problems);
  const service = serviceSettings(declaration, report);
  const lost = new Set<string>();
  const models = sources.models.flatMap((source) => compileModels(source, problems, lost));
  if (sources.models.length === 0) {
    problems.push(atStart(sources.service, 'no-models', 'this project has no models', 'write one, as models/hut.yaml'));
  }
  const { identity } = declaration;
  const code = sources.code && codeFacts(sources.code);
  const hooked = code?.hooked;
  const graph = resolve(
    { service, identity, identityReport: report.below('identity'), models, lost, hooked, catalogue: sources.catalogue },
    problems,
  );
  checkConsole(graph, report);
  const known = models.filter(({ document }, at) => models.findIndex((other) => other.document === document) === at);
  const first = known.filter(
    ({ declaration: { model } }, at) => known.findIndex((other) => other.declaration.model === model) === at,
  );
  problems.push(...checkNames(graph, first), ...checkConstants(graph, first), ...checkReveals(graph, first));
  if (sources.code !== undefined) problems.push(...checkCode(graph, first, sources.code));
  if (sources.catalogue !== undefined) problems.push(...checkFit(graph, first, sources.catalogue, report));
  const sound = !problems.some(isError);
  if (sound) noteOpenModels(graph, first, report);
  problems.sort(byPlace);
  const { catalogue } = sources;
  const fitted = catalogue && { isBare: !hasOwnTables(catalogue) };
  return sound ? { graph: { ...graph, ...(code && { code }), ...(fitted && { fitted }) }, problems } : { problems };
}

/** The console lets in those with a role, which somebody must be able to have. */
function checkConsole({ service, identity }: Graph, report: Reporter): void {
  const role = service.consoleRole;
  if (role === undefined) return;
  const path = ['console', 'role'];
  if (identity !== undefined) isRole(role, path, identity, report);
  else {
    const remedy = 'declare an identity with roles; or leave `console` out, and it is there on this machine alone';
    report.error('no-roles', `nobody signs in, so nobody has the role ${role}`, remedy, path);
  }
}

/** A service where nobody signs in, and whose models say nothing of who may do what, is everybody's. */
function noteOpenModels(graph: Graph, declared: readonly DeclaredModel[], report: Reporter): void {
  if (graph.identity !== undefined) return;
  const silent = new Set(
    declared.flatMap(({ declaration }) => (declaration.may === undefined ? declaration.model : [])),
  );
  const open = graph.models.filter((model) => silent.has(model.name) && isOpen(model)).map(({ plural }) => plural);
  if (open.length === 0) return;
  const shown = open.length > 4 ? `${open.slice(0, 3).join(', ')} and ${open.length - 3} more` : open.join(', ');
  const remedy = 'declare an identity, or say in `may` who may do what';
  report.warn('open-service', `anybody may read and change ${shown}`, remedy, ['service', 'name'], 'key');
}

function readService(
  sources: ProjectSources,
  problems: Problem[],
): { declaration: ServiceDeclaration; report: Reporter } {
  const read = readDocuments(sources.service);
  problems.push(...read.problems);
  const document = read.documents[0];
  if (document === undefined) {
    const remedy = 'begin with service: { name: … }';
    if (read.problems.length === 0)
      problems.push(atStart(sources.service, 'missing-key', 'this file is empty', remedy));
    const nowhere = (): Place => startOf(sources.service);
    const empty: Declared = { file: sources.service.file, value: {}, at: nowhere, within: nowhere };
    return { declaration: {}, report: reporterOf(empty, problems) };
  }
  const filled = withEnvironment(document, sources.environment);
  const held = checkShape(filled.declared, serviceShape);
  problems.push(...filled.problems, ...held.problems);
  return { declaration: held.sound ?? {}, report: reporterOf(document, problems) };
}

function compileModels(source: Source, problems: Problem[], lost: Set<string>): DeclaredModel[] {
  const read = readDocuments(source);
  read.lost.forEach((name) => lost.add(name));
  problems.push(...read.problems);
  return read.documents.flatMap((document) => {
    const held = checkShape(document, modelShape);
    problems.push(...held.problems);
    const declaration = held.sound as Partial<ModelDeclaration> | undefined;
    return declaration?.model === undefined ? [] : [{ declaration: declaration as ModelDeclaration, document }];
  });
}

const startOf = ({ file }: Source): Place => ({ file, line: 1, column: 1, endLine: 1, endColumn: 2 });

const atStart = (source: Source, code: ProblemCode, message: string, remedy: string): Problem => ({
  code,
  severity: 'error',
  message,
  remedy,
  place: startOf(source),
});
