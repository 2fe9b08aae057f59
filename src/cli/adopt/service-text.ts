import { yaml } from '../../core/text/libraries.ts';

/** What stands before the setting that the tables are theirs. */
export const THEIRS_REMARK = '# The tables were there before the models, and are not changed.';

/** The text of the service's file of an adopted database. */
export function serviceText(name: string, store: string): string {
  const { stringify } = yaml();
  return (
    `service:\n  name: ${stringify(name).trim()}\n\n` +
    `store: ${stringify(store).trim()}\n` +
    `${THEIRS_REMARK}\ntables: theirs\n`
  );
}
