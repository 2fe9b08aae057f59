import { own } from '../text/own.ts';
import { pluralOf, singularOf, underscored } from '../text/names.ts';

/** Letters that no mark can be taken from. */
const LETTERS: Readonly<Record<string, string>> = {
  ...{ ß: 'ss', æ: 'ae', œ: 'oe', ø: 'o', đ: 'd', ð: 'd', þ: 'th', ł: 'l', ı: 'i' },
};

/** The words of a name, in small letters without marks: `OrderLines`, `order lines` and `ORDER_LINES` are alike. */
export function wordsOf(name: string): string[] {
  const plain = name
    .replace(/(\p{Ll}|\d)(\p{Lu})/gu, '$1 $2')
    .replace(/(\p{Lu})(\p{Lu}\p{Ll})/gu, '$1 $2')
    .toLowerCase()
    .normalize('NFD')
    .replace(/\p{M}/gu, '')
    .replace(/[^\x20-\x7e]/gu, (letter) => own(LETTERS, letter) ?? ' ');
  const words = plain.split(/[^a-z0-9]+/).filter((word) => word !== '');
  return /^[a-z]/.test(words[0] ?? '') ? words : ['n', ...words];
}

/** The name of a model for a table: its last word in the singular. */
export function modelNameOf(table: string): string {
  const words = wordsOf(table);
  return [...words.slice(0, -1), singularOf(words.at(-1)!)].join('-');
}

/** The name of a member for a column. */
export const memberNameOf = (column: string): string => wordsOf(column).join('_');

/** The name of a relation for a column that refers to another table: without the word that says so. */
export function relationNameOf(column: string): string {
  const words = wordsOf(column);
  const isMarked = words.length > 1 && ['id', 'key', 'fk', 'no', 'code', 'uuid'].includes(words.at(-1)!);
  return (isMarked ? words.slice(0, -1) : words).join('_');
}

/** What the records of a model are called at the record that they refer to. */
export const manyOf = (model: string): string => underscored(pluralOf(model));

/** Gives names that are alike numbers: `order`, `order_2`. */
export interface Names {
  /** The name, or one with a number where it is taken. `also` goes with it: it is taken together with the name. */
  take(name: string, also?: (name: string) => readonly string[]): string;
}

export function makeNames(taken: Iterable<string> = [], mark = '_'): Names {
  const all = new Set(taken);
  return {
    take(name, also = () => []) {
      for (let number = 1; ; number += 1) {
        const next = number === 1 ? name : `${name}${mark}${number}`;
        const together = [next, ...also(next)];
        if (together.some((one) => all.has(one))) continue;
        together.forEach((one) => all.add(one));
        return next;
      }
    },
  };
}
