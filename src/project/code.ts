import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { noCode } from '../core/change/code.ts';
import type { Code } from '../core/change/code.ts';
import { cql } from '../core/change/find.ts';
import { hooks } from '../core/change/hooks.ts';
import type { Hooks } from '../core/change/hooks.ts';
import { messages } from '../core/change/messages.ts';
import type { Messages } from '../core/change/messages.ts';
import { operation } from '../core/change/operation.ts';
import type { Operation, OperationCode } from '../core/change/operation.ts';
import type { Source } from '../core/declaration/declared.ts';
import type { ProblemCode } from '../core/declaration/problem-codes.ts';
import type { Problem } from '../core/declaration/problem.ts';
import { atStart, codeName, HOOKS, MESSAGES } from '../core/resolve/code.ts';
import { EXIT, Failure } from './failure.ts';
import { mailboxOf } from './mailbox.ts';
import { OWN_FOLDER } from './own-folder.ts';
import type { SoundProject } from './project.ts';

/** A project's code, and what is wrong with it. */
export interface LoadedCode {
  readonly code: Code;
  readonly problems: readonly Problem[];
}

/** Whether messages to callers go into the project's mailbox: no code of its own sends them. */
export const hasMailbox = ({ graph, code }: Pick<SoundProject, 'graph' | 'code'>): boolean =>
  graph.identity?.codes !== undefined && !code.some(({ file }) => codeName(file)?.part === MESSAGES);

/** Loads the code of a project, TypeScript without a build: this runs it, as far as it does anything by itself. */
export async function loadCode({ folder, code: files, graph }: SoundProject): Promise<LoadedCode> {
  // Where no code of the project sends messages, they go to a mailbox of its own.
  let send: Code['send'] = graph.identity?.codes && mailboxOf(folder, graph.service.name);
  if (files.length === 0) return { code: { ...noCode, send }, problems: [] };
  const own = join(folder, OWN_FOLDER);
  const { createJiti } = await import('jiti');
  const jiti = createJiti(join(folder, 'code', 'index.ts'), {
    // What code imports of this tool is this very program's.
    virtualModules: { vantfell: { hooks, operation, messages, cql } },
    fsCache: existsSync(own) ? join(own, 'code') : false,
    moduleCache: false,
    interopDefault: false,
  });
  const [allHooks, operations] = [new Map<string, Hooks['handlers']>(), new Map<string, OperationCode>()];
  const problems: Problem[] = [];
  for (const source of files) {
    const { model, part } = codeName(source.file)!;
    const wanted = PARTS.includes(part) ? `${part}('${model}', …)` : `operation('${model}.${part}', …)`;
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
    const isRight = PARTS.includes(part)
      ? found?.kind === part && found.model === model
      : found?.kind === 'operation' && found.model === model && found.name === part;
    if (!isRight) {
      const named = found?.kind === undefined ? 'does not export one' : `exports another: ${nameOf(found)}`;
      tell('wrong-code', `${source.file} ${named}`, `export default ${wanted}`);
    } else if (part === HOOKS) allHooks.set(model, found!.handlers!);
    else if (part === MESSAGES) send = found!.send;
    else operations.set(`${model}.${part}`, found!.code!);
  }
  return { code: { hooks: allHooks, operations, send }, problems };
}

/** The same for those who can't show problems one by one. */
export async function soundCode(project: SoundProject): Promise<Code> {
  const { code, problems } = await loadCode(project);
  const [first] = problems;
  if (first === undefined) return code;
  throw new Failure(EXIT.foundWrong, `${first.place.file}:${first.place.line} ${first.message}`, first.remedy);
}

/** What belongs to a model as a whole: their names are those of the functions that make them. */
const PARTS = [HOOKS, MESSAGES];

/** Hooks, messages, or an operation. */
interface Exported extends Pick<Hooks, 'handlers' | 'model'>, Pick<Operation, 'name' | 'code'>, Pick<Messages, 'send'> {
  readonly kind: 'hooks' | 'messages' | 'operation';
}

const nameOf = (found: Partial<Exported>): string =>
  found.kind === 'operation' ? `operation('${found.model}.${found.name}', …)` : `${found.kind}('${found.model}', …)`;

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
