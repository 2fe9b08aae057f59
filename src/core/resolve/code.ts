import type { Source } from '../declaration/declared.ts';
import type { ProblemCode } from '../declaration/problem-codes.ts';
import type { Problem } from '../declaration/problem.ts';
import { reporterOf } from '../declaration/reporter.ts';
import { modelOf } from '../model/graph.ts';
import type { CodeFacts, Graph } from '../model/graph.ts';
import { didYouMean } from '../text/nearest.ts';
import type { DeclaredModel } from './model-draft.ts';

/** What a file of `code/` is for, by its name: the hooks of a model, one of its operations, or messages to callers. */
export interface CodeName {
  readonly model: string;
  /** `hooks`, `messages`, or the name of an operation. */
  readonly part: string;
}

export const HOOKS = 'hooks';
export const MESSAGES = 'messages';

/** Reads `code/hut.book.ts`; undefined for any other form. */
export function codeName(file: string): CodeName | undefined {
  const [, model, part] = /^code\/([a-z0-9-]+)\.([a-z0-9-]+)\.(?:ts|mts|js|mjs)$/.exec(file) ?? [];
  return model === undefined || part === undefined ? undefined : { model, part };
}

/** Operations without code, and code for what nobody declared. Runs none of it. */
export function checkCode(graph: Graph, models: readonly DeclaredModel[], files: readonly Source[]): Problem[] {
  const problems: Problem[] = [];
  const written = new Set<string>();
  for (const source of files) {
    const tell = (code: ProblemCode, message: string, remedy: string): number =>
      problems.push({ code, severity: 'error', message, remedy, place: atStart(source) });
    const name = codeName(source.file);
    if (name === undefined) {
      const remedy =
        'name it code/<model>.hooks.ts or code/<model>.<operation>.ts; what those share goes into a folder of code/';
      tell('stray-code', `nothing is known by the name of ${source.file}`, remedy);
      continue;
    }
    const { model, part } = name;
    const found = graph.byName.get(model);
    if (found === undefined) {
      tell(
        'unknown-model',
        `there is no model ${model}, which this code would be for`,
        didYouMean(model, graph.byName.keys()),
      );
      continue;
    }
    const sends = graph.identity?.model === model && graph.identity.codes !== undefined;
    const known = [HOOKS, ...(sends ? [MESSAGES] : []), ...found.operations.map((operation) => operation.name)];
    if (part === MESSAGES && !known.includes(part)) {
      const remedy = 'declare them in vantfell.yaml: identity: { codes: … }; or delete this file';
      tell('stray-code', `no codes are sent to a ${model}, so nothing sends messages`, remedy);
    } else if (!known.includes(part)) {
      const remedy = `declare it under operations: of ${model}, or ${didYouMean(part, known)}`;
      tell('stray-code', `${model} declares no operation ${part}`, remedy);
    } else if (written.has(`${model}.${part}`)) {
      tell('stray-code', `there are two files for ${model}.${part}`, 'keep one');
    }
    written.add(`${model}.${part}`);
  }
  for (const { declaration, document } of models) {
    for (const { name } of modelOf(graph, declaration.model).operations) {
      if (written.has(`${declaration.model}.${name}`)) continue;
      const message = `the operation ${declaration.model}.${name} has no code`;
      const remedy =
        `write code/${declaration.model}.${name}.ts, which exports ` + `operation('${declaration.model}.${name}', …)`;
      reporterOf(document, problems).error('operation-without-code', message, remedy, ['operations', name], 'key');
    }
  }
  return problems;
}

/** What can be told of code by its text. Statuses are only known where each is written as a number. */
export function codeFacts(files: readonly Source[]): CodeFacts {
  const hooked = files.map(({ file }) => codeName(file)).flatMap((name) => (name?.part === HOOKS ? [name.model] : []));
  const texts = files.filter(({ file }) => codeName(file) !== undefined).map(({ text }) => text);
  const refusals = texts.flatMap(argumentsOfRefusals);
  const statuses = refusals.map((one) => /\bstatus\s*:\s*(\d{3})\s*[,}]/.exec(one)?.[1]);
  const isTold =
    !texts.some((text) => OWN_FILES.test(text)) &&
    refusals.every((one, at) => statuses[at] !== undefined || !/\bstatus\b|\.\.\./.test(withoutTexts(one)));
  const all = new Set(statuses.map((status) => (status === undefined ? 422 : Number(status))));
  return { hooked: new Set(hooked), refusals: isTold ? [...all].sort() : undefined };
}

/** Imports of what stands in other files of the project. */
const OWN_FILES = /from\s*['"]\.|import\(/;

const TEXTS = /'(?:[^'\\\n]|\\.)*'|"(?:[^"\\\n]|\\.)*"|`(?:[^`\\]|\\.)*`/g;

const withoutTexts = (code: string): string => code.replaceAll(TEXTS, "''");

/** What stands between the parentheses of each `refuse(…)`. */
function argumentsOfRefusals(code: string): string[] {
  const [, ...calls] = withoutTexts(code).split(/\brefuse\(/);
  return calls.map((rest) => {
    let depth = 1;
    const end = [...rest].findIndex((letter) => (depth += letter === '(' ? 1 : letter === ')' ? -1 : 0) === 0);
    return end < 0 ? rest : rest.slice(0, end);
  });
}

export const atStart = ({ file }: Pick<Source, 'file'>, line = 1, column = 1): Problem['place'] => ({
  file,
  line,
  column,
  endLine: line,
  endColumn: column + 1,
});
