/** Where in a project's code an error came from, as ` at code/stay.hooks.ts:4:9`; nothing where it has no place. */
export function placeText(error: unknown): string {
  for (let one = error; one instanceof Object; one = (one as { cause?: unknown }).cause) {
    const stack = (one as { stack?: string }).stack ?? '';
    const found = /[\\/](code[\\/][^\s():]+\.[cm]?[jt]s:\d+:\d+)/.exec(stack)?.[1];
    if (found !== undefined) return ` at ${found.replaceAll('\\', '/')}`;
  }
  return '';
}
