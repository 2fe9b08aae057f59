import type { Rules } from './graph.ts';

/** The rules of a value of which nothing was said. */
export const noRules: Rules = {
  required: false,
  hasDefault: false,
  uniqueItems: false,
  trim: false,
  immutable: false,
  readOnly: false,
  writeOnly: false,
};
