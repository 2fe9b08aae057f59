import { COMMANDS, GLOBAL_OPTIONS } from './commands.ts';

/** The overview of all commands. It is shown often and needs no parser, so none is loaded for it. */
export function overview(): string {
  const flags = GLOBAL_OPTIONS.map((option): [string, string] => {
    const value = 'value' in option ? ` <${option.value}>` : '';
    return [`${option.name.length === 1 ? '-' : '--'}${option.name}${value}`, option.about];
  });
  return [
    'Vantfell turns resource models into a REST API, its database, its OpenAPI document and its tests.',
    '',
    'Usage: vantfell <command> [options]',
    '',
    'Commands',
    ...columns(COMMANDS.map(({ usage, about }) => [usage, about])),
    '',
    'Options of every command',
    ...columns([...flags, ['--help', 'what a command does and takes, with examples'], ['--version', 'the version']]),
    '',
    'vantfell new makes a project of your own, vantfell demo one to look ' +
      'at; vantfell <command> --help tells of one command.',
  ].join('\n');
}

function columns(rows: readonly (readonly [string, string])[]): string[] {
  const width = Math.max(...rows.map(([name]) => name.length));
  return rows.map(([name, about]) => `  ${name.padEnd(width)}  ${about}`);
}
