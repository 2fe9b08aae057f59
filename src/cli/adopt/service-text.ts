import { yaml } from '../../core/text/libraries.ts';

/** The text of the service's file of an adopted database. */
export function serviceText(name: string, store: string): string {
  const { stringify } = yaml();
  return (
    `service:\n  name: ${stringify(name).trim()}\n\n` +
    `store: ${stringify(store).trim()}\n` +
    '# The tables were there before the models, and are not changed.\ntables: theirs\n'
  );
}
