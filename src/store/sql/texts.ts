import type { Kind, PatternPart } from '../../core/model/expression.ts';

/** A pattern of LIKE, whose signs stand for themselves after `escape`. */
export const likePattern = (pattern: readonly PatternPart[], escape: string): string =>
  pattern
    .map((part) =>
      part === 'any'
        ? '%'
        : part === 'one'
          ? '_'
          : part.text.replace(/[%_]|\\|!/g, (sign) => ('%_'.includes(sign) || sign === escape ? escape + sign : sign)),
    )
    .join('');

/** The texts of the values of a key, and a comma between each two of them. */
export const keyTexts = (
  values: readonly { readonly sql: string; readonly isText: boolean }[],
  asText: (sql: string) => string,
): string[] =>
  values.flatMap(({ sql, isText }, at) => {
    const text = isText ? `replace(replace(${sql}, '%', '%25'), ',', '%2C')` : asText(sql);
    return at === 0 ? [text] : ["','", text];
  });

/** A text of such a key as it was before. */
export const plainPart = (text: string): string => `replace(replace(${text}, '%2C', ','), '%25', '%')`;

/** The forms of keys as texts. */
const FORMS: Readonly<Partial<Record<Kind, string>>> = {
  uuid: '^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$',
  integer: '^-?[0-9]{1,18}$',
  date: '^[0-9]{4}-[0-9]{2}-[0-9]{2}$',
};

/**
 * A text that holds a key, as that key: what has another form was the key of another time, and is nobody's. `matches`
 * is the operator for regular expressions.
 */
export function keyOfTextSql(kind: Kind, text: string, matches: string, typed: (text: string) => string): string {
  const form = FORMS[kind];
  return form === undefined ? text : `(CASE WHEN ${text} ${matches} '${form}' THEN ${typed(text)} END)`;
}
