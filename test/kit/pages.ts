import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = fileURLToPath(new URL('../..', import.meta.url));

/** A fenced block of a page: its language, and the file that it is where its first line names one. */
export interface Block {
  readonly page: string;
  readonly language: string;
  readonly file?: string | undefined;
  readonly text: string;
}

export const pageText = (page: string): string => readFileSync(join(root, page), 'utf8');

export const blocksOf = (page: string, language?: string): Block[] =>
  [...pageText(page).matchAll(/^```([a-z]+)(?: ([^\n]+))?\n([\s\S]*?)^```$/gm)]
    .map(([, name, file, text]) => ({ page, language: name!, file, text: text! }))
    .filter((block) => language === undefined || block.language === language);

/** What the script of a page needs to know. */
export interface Typing {
  /** The built program. */
  readonly program: string;
  readonly port: number;
  /** Texts of the page that are others here: the address of a server. */
  readonly others?: Readonly<Record<string, string>>;
}

/** What stands between the outputs of two blocks. */
export const MARK = '\u0001';

/**
 * A script for bash that does what a reader does who types a page: it writes the files, and runs the commands in their
 * order, `serve` beside the others until the end of the page.
 */
export function pageScript(page: string, { program, port, others = {} }: Typing): string {
  const typed = (text: string): string =>
    Object.entries({ ...others, ':8080': `:${port}` }).reduce((all, [from, to]) => all.replaceAll(from, to), text);
  const parts = blocksOf(page).flatMap((block): string[] => {
    if (block.file !== undefined)
      return [`mkdir -p "$(dirname '${block.file}')"; cat > '${block.file}' <<'END_OF_FILE'\n${block.text}END_OF_FILE`];
    if (block.language !== 'sh') return [];
    return [`printf '${MARK}'\n${typed(block.text).split('\n').map(asRun).join('\n')}`];
  });
  return [
    'set -e',
    `vantfell() { '${process.execPath}' '${program}' "$@"; }`,
    'export -f vantfell',
    'stop() { if [ -n "$SERVER" ]; then kill "$SERVER"; fi; }',
    'trap stop EXIT',
    ...parts,
  ].join('\n');

  function asRun(line: string): string {
    // What makes the tool from its source is run by whoever runs this.
    if (/^(npm |alias )/.test(line)) return '';
    if (!line.startsWith('vantfell serve')) return line;
    return [
      'stop',
      `exec 9< <(exec '${process.execPath}' '${program}' ${line.slice('vantfell '.length)} --port ${port} 2>&1)`,
      'SERVER=$!',
      // It says how to stop it when it is ready.
      'while read -r line <&9; do echo "$line"; case "$line" in *Ctrl+C*) break;; esac; done',
    ].join('\n');
  }
}
