import { compareDocuments } from '../../core/document/compare/documents.ts';
import type { Change } from '../../core/document/compare/documents.ts';
import type { Tree } from '../../core/document/compare/resolve.ts';
import { openApi } from '../../core/document/openapi.ts';
import { yaml } from '../../core/text/libraries.ts';
import { isRecord } from '../../core/text/value.ts';
import { EXIT, Failure } from '../../project/failure.ts';
import { withCodeFacts } from '../../project/project.ts';
import type { SoundProject } from '../../project/project.ts';
import type { Context } from '../command.ts';
import { readGiven } from '../files.ts';
import { table } from '../terminal/table.ts';
import { counted } from '../terminal/terminal.ts';

/** Tells what has changed since an older document; 1 where something of it breaks clients. */
export function compareWith({ terminal }: Context, project: SoundProject, file: string): number {
  const changes = compareDocuments(readDocument(file), openApi(withCodeFacts(project)));
  const [breaking, harmless] = [true, false].map((is) => changes.filter((change) => change.breaking === is));
  terminal.value({ breaking, harmless });
  const { bold, green, red } = terminal.tint;
  const told = (title: string, some: readonly Change[]): void => {
    if (some.length === 0) return;
    terminal.show(title);
    terminal.show(table(some.map(({ what, where }) => [`  ${what}`, whereText(where)])));
    terminal.show('');
  };
  told(bold(red('breaks clients')), breaking!);
  told(bold('harmless'), harmless!);
  if (changes.length === 0) terminal.show(green(`nothing has changed since ${file}`));
  else {
    const sum =
      `${counted(breaking!.length, 'change')} that ` +
      `${breaking!.length === 1 ? 'breaks' : 'break'} clients, ` +
      `${harmless!.length} harmless`;
    terminal.show(breaking!.length > 0 ? red(sum) : green(sum));
  }
  return breaking!.length > 0 ? EXIT.foundWrong : EXIT.done;
}

const whereText = ([first = '', second, ...more]: readonly string[]): string => {
  if (second === undefined) return first;
  return more.length === 0 ? `${first}, ${second}` : `${first}, ${second} and ${more.length} more`;
};

function readDocument(file: string): Tree {
  const text = readGiven(file, 'name a file that export openapi wrote');
  let document: unknown;
  try {
    // JSON is YAML.
    document = text.trimStart().startsWith('{') ? JSON.parse(text) : yaml().parse(text);
  } catch (error) {
    throw new Failure(
      EXIT.foundWrong,
      `${file} is neither JSON nor YAML: ${(error as Error).message.split('\n')[0]}`,
      'name a file that export openapi wrote',
    );
  }
  if (isRecord(document) && String(document.openapi).startsWith('3.1.') && isRecord(document.paths)) return document;
  throw new Failure(EXIT.foundWrong, `${file} is no OpenAPI 3.1 document`, 'name a file that export openapi wrote');
}
