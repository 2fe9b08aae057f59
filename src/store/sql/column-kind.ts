import { TEXTUAL } from '../../core/model/types.ts';
import type { ColumnKind } from '../../core/tables/catalogue.ts';

/** Every type of text, with one form of its values. */
export const asTexts = (form: string): ColumnKind['as'] => Object.fromEntries(TEXTUAL.map((type) => [type, form]));

/** Digits that the tool's own decimals have: a column with as many needs no bound. */
const OWN_DIGITS = 18;

/** The greatest value of a decimal with so many digits, of which `scale` stand after the point. */
export const mostOf = (digits: number, scale: number): number | undefined =>
  digits < OWN_DIGITS ? 10 ** (digits - scale) - 10 ** -scale : undefined;
