import type { Context } from './command.ts';

/** What went wrong inside the service, and where in the project's own code, if it was there. */
export function faultText(error: unknown, { folder, debug, terminal }: Context): string {
  const { message, stack = '', cause } = error instanceof Error ? error : new Error(String(error));
  const origin = cause instanceof Error ? (cause.stack ?? stack) : stack;
  const line = origin.split('\n').find((one) => one.includes(`${folder}/`));
  const where =
    line === undefined ? '' : ` (${/[^/(]+(?:\/[^/]+)?:\d+:\d+/.exec(line.replace(`${folder}/`, ''))?.[0] ?? ''})`;
  return `${terminal.tint.red('inside the service:')} ${message}${where}${debug ? `\n${stack}` : ''}`;
}
