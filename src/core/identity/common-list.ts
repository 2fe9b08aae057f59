import { dictionary } from '@zxcvbn-ts/language-common';

/** How many of the most common secrets are refused; `secret-rules.ts` tells it. */
const MOST_COMMON = 10_000;

/** They, in small letters. The list is long: this module is loaded when it is first needed. */
export const commonSecrets: ReadonlySet<string> = new Set(
  dictionary['passwords-common'].slice(0, MOST_COMMON).map(String),
);
