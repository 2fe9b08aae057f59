import pluralize from 'pluralize';

/** A name as it stands in JSON and in SQL, where hyphens can't: `supply-draw` becomes `supply_draw`. */
export const underscored = (name: string): string => name.replaceAll('-', '_');

/** The English plural of a model's name: the last word alone changes. */
export const pluralOf = (name: string): string => pluralize(name);

/** A model's name as a type in the documents made for others: `supply-draw` becomes `SupplyDraw`. */
export const pascalCase = (name: string): string =>
  name.replace(/(^|[-_])([a-z0-9])/g, (_all, _mark, letter: string) => letter.toUpperCase());

/** A name as a person reads it: `supply-draw` becomes `supply draw`. */
export const spoken = (name: string): string => name.replaceAll(/[-_]/g, ' ');

/** A name with the article that it takes: `a hut`, `an amenity`. */
export const withArticle = (name: string): string => `${/^[aeiou]/.test(name) ? 'an' : 'a'} ${spoken(name)}`;
