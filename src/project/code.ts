import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { createJiti } from 'jiti';
import { noCode } from '../core/change/code.ts';
import type { Code } from '../core/change/code.ts';
import { cql } from '../core/change/find.ts';
import { hooks } from '../core/change/hooks.ts';
import type { Hooks } from '../core/change/hooks.ts';
import { operation } from '../core/change/operation.ts';
import type { Operation, OperationCode } from '../core/change/operation.ts';
import type { Source } from '../core/declaration/document.ts';
import type { ProblemCode } from '../core/declaration/problem-codes.ts';
import type { Problem } from '../core/declaration/problem.ts';
import { atStart, codeName, HOOKS } from '../core/resolve/code.ts';
import { EXIT, Failure } from './failure.ts';
import { OWN_FOLDER } from './own-folder.ts';
import type { SoundProject } from './project.ts';

/** A project's code, and what is wrong with it. */
export interface LoadedCode {
  readonly code: Code;
  readonly problems: readonly Problem[];
}

/** Loads the code of a project, TypeScript without a build: this runs it, as far as it does anything by itself. */
export async function loadCode({ folder, code: files }: SoundProject): Promise<LoadedCode> {
  if (files.length === 0) return { code: noCode, problems: [] };
  const own = join(folder, OWN_FOLDER);
  const jiti = createJiti(join(folder, 'code', 'index.ts'), {
    // What code imports of this tool is this very program's.
    virtualModules: { vantfell: { hooks, operation, cql } },
    fsCache: existsSync(own) ? join(own, 'code') : false,
    moduleCache: false,
    interopDefault: false,
  });
  const [allHooks, operations] = [new Map<string, Hooks['handlers']>(), new Map<string, OperationCode>()];
  const problems: Problem[] = [];
  for (const source of files) {
    const { model, part } = codeName(source.file)!;
    const wanted = part === HOOKS ? `hooks('${model}', …)` : `operation('${model}.${part}', …)`;
    const tell = (code: ProblemCode, message: string, remedy: string, place = atStart(source)): number =>
      problems.push({ code, severity: 'error', message, remedy, place });
    let given: unknown;
    try {
      given = (await jiti.import<{ default?: unknown }>(join(folder, source.file))).default;
    } catch (error) {
      const { message, remedy } = faultOf(error);
      tell('broken-code', message, remedy, placeOf(error, source));
      continue;
    }
    const found = given as Partial<Exported> | undefined;
    const isRight =
      part === HOOKS
        ? found?.kind === 'hooks' && found.model === model
        : found?.kind === 'operation' && found.model === model && found.name === part;
    if (!isRight) {
      const named = found?.kind === undefined ? 'does not export one' : `exports another: ${nameOf(found)}`;
      tell('wrong-code', `${source.file} ${named}`, `export default ${wanted}`);
    } else if (part === HOOKS) allHooks.set(model, found!.handlers!);
    else operations.set(`${model}.${part}`, found!.code!);
  }
  return { code: { hooks: allHooks, operations }, problems };
}

/** The same for those who can't show problems one by one. */
export async function soundCode(project: SoundProject): Promise<Code> {
  const { code, problems } = await loadCode(project);
  const [first] = problems;
  if (first === undefined) return code;
  throw new Failure(EXIT.foundWrong, `${first.place.file}:${first.place.line} ${first.message}`, first.remedy);
}

/** Hooks, or an operation. */
interface Exported extends Pick<Hooks, 'handlers' | 'model'>, Pick<Operation, 'name' | 'code'> {
  readonly kind: 'hooks' | 'operation';
}

const nameOf = (found: Partial<Exported>): string =>
  found.kind === 'hooks' ? `hooks('${found.model}', …)` : `operation('${found.model}.${found.name}', …)`;

function faultOf(error: unknown): { message: string; remedy: string } {
  const text = error instanceof Error ? error.message : String(error);
  const [first = ''] = text.replace(/^\S+: (?=Unexpected|Missing|Unterminated|Identifier)/, '').split('\n');
  if (/Cannot find (module|package)/.test(first)) {
    return { message: first, remedy: 'install it, or mend the import' };
  }
  return { message: `it does not load: ${first}`, remedy: 'mend it; check loads it again' };
}

/** The place that an error came from, if it has one. */
function placeOf(error: unknown, source: Source): Problem['place'] {
  const {
    loc,
    stack = '',
    message = '',
  } = error as { loc?: { line: number; column: number }; stack?: string; message?: string };
  if (loc !== undefined) return atStart(source, loc.line, loc.column + 1);
  const name = source.file.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');
  const [, line, column] = new RegExp(`${name}:(\\d+):(\\d+)`).exec(`${message}\n${stack}`) ?? [];
  return line === undefined ? atStart(source) : atStart(source, Number(line), Number(column));
}
