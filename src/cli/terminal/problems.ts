import codeFrame from '@babel/code-frame';
import type { Source } from '../../core/declaration/declared.ts';
import { isError } from '../../core/declaration/problem.ts';
import type { Problem } from '../../core/declaration/problem.ts';
import { counted } from './terminal.ts';
import type { Terminal } from './terminal.ts';

/** Shows problems one after the other, each with its place marked in the source, and a line that counts them. */
export function problemsText(
  problems: readonly Problem<string>[],
  sources: readonly Source[],
  paint: Terminal['paint'],
): string {
  const texts = new Map(sources.map(({ file, text }) => [file, text]));
  const blocks = problems.map((problem) => {
    const { place, code, message, remedy } = problem;
    const kind = isError(problem) ? paint.red(code) : paint.yellow(`${code} (warning)`);
    const where = paint.bold(`${place.file}:${place.line}:${place.column}`);
    return [
      `${where}  ${kind}`,
      `  ${message}`,
      frame(texts.get(place.file), problem),
      `  ${paint.cyan('→')} ${remedy}`,
      '',
    ]
      .filter((line) => line !== undefined)
      .join('\n');
  });
  const errors = problems.filter(isError).length;
  const warnings = problems.length - errors;
  const files = new Set(problems.map(({ place }) => place.file)).size;
  const counts = [counted(errors, 'error'), ...(warnings > 0 ? [counted(warnings, 'warning')] : [])].join(', ');
  return [...blocks, `${counts} in ${counted(files, 'file')}`].join('\n');
}

function frame(text: string | undefined, { place }: Problem<string>): string | undefined {
  if (text === undefined || text === '') return undefined;
  const sameLine = place.endLine === place.line;
  const location = {
    start: { line: place.line, column: place.column },
    end: sameLine ? { line: place.line, column: place.endColumn } : undefined,
  };
  const shown = codeFrame.codeFrameColumns(text, location, { linesAbove: 1, linesBelow: 1 });
  return shown.replace(/^/gm, '  ');
}
