/*
 * The journal, and what the tool knows of samples, go by the names of models and members. Where those change, they go
 * along; and what is gone leaves its name to whatever has it next, without the values that were kept under it.
 */

/** What a model is remembered by, and what that becomes. */
export interface Remembered {
  readonly model: string;
  readonly becomes: string;
  /** Names of members that become others, under which their values stand in the journal. */
  readonly members: ReadonlyMap<string, string>;
}

const MARK = ' (gone)';

/** No model and no member has such a name. */
export const goneName = (name: string): string => name + MARK;
export const isGone = (name: string): boolean => name.endsWith(MARK);
