import pluralize from 'pluralize';

/** A name as it stands in JSON and in SQL, where hyphens can't: `supply-draw` becomes `supply_draw`. */
export const underscored = (name: string): string => name.replaceAll('-', '_');

/** The English plural of a model's name: the last word alone changes. */
export const pluralOf = (name: string): string => pluralize(name);

/** The singular of an English plural. */
export const singularOf = (name: string): string => pluralize.singular(name);

/** The name of a model's table: its own, or the plural of the model's name. */
export const tableOf = (declared: { model: string; plural?: string; table?: string }): string =>
  declared.table ?? underscored(declared.plural ?? pluralOf(declared.model));

/** A model's name as a type in the documents made for others: `supply-draw` becomes `SupplyDraw`. */
export const pascalCase = (name: string): string =>
  name.replace(/(^|[-_])([a-z0-9])/g, (_all, _mark, letter: string) => letter.toUpperCase());

/** The same, with a small letter first: `supplyDraw`. */
export const camelCase = (name: string): string => pascalCase(name).replace(/^./, (letter) => letter.toLowerCase());

/** A text as a sentence begins. */
export const capitalized = (text: string): string => text.replace(/^./, (letter) => letter.toUpperCase());

/** A text that ends as a sentence does. */
export const ended = (text: string): string => text.replace(/(?<![.!?])$/, '.');

/** A name as a person reads it: `supply-draw` becomes `supply draw`. */
export const spoken = (name: string): string => name.replaceAll(/[-_]/g, ' ');

/** A name with the article that it takes: `a hut`, `an amenity`. */
export const withArticle = (name: string): string => `${/^[aeiou]/.test(name) ? 'an' : 'a'} ${spoken(name)}`;
