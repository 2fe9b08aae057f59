/** What a function does to each letter. Letters are mapped one by one, so that every store can do the same. */
export interface Letters {
  casei(text: string): string;
  accenti(text: string): string;
  lower(text: string): string;
  upper(text: string): string;
}

/** A letter that at least one of the functions changes, and what each makes of it. */
export interface Letter {
  readonly letter: string;
  readonly casei: string;
  readonly accenti: string;
  readonly lower: string;
  readonly upper: string;
}

const LAST_CODE_POINT = 0x10ffff;
const FIRST_SURROGATE = 0xd800;
const LAST_SURROGATE = 0xdfff;

/** Folded by Unicode: upper case first, so that all the forms of a letter meet (`ς` and `σ`, `ß` and `SS`). */
const fold = (letter: string): string => letter.toUpperCase().toLowerCase();
const withoutMarks = (letter: string): string => letter.normalize('NFD').replace(/\p{M}/gu, '').normalize('NFC');

let known: ReadonlyMap<string, Letter> | undefined;

/** Every letter beyond ASCII that one of the functions changes, by the Unicode tables of the running program. */
export function allLetters(): ReadonlyMap<string, Letter> {
  known ??= collect();
  return known;
}

function collect(): Map<string, Letter> {
  const letters = new Map<string, Letter>();
  const worthALook = /[\p{L}\p{M}\p{N}\p{S}]/u;
  for (let point = 0x80; point <= LAST_CODE_POINT; point += 1) {
    if (point === FIRST_SURROGATE) point = LAST_SURROGATE + 1;
    // Beyond the first two planes there are ideographs and private letters, which have no case and no marks.
    if (point === 0x20000) point = 0xe0000;
    const letter = String.fromCodePoint(point);
    if (!worthALook.test(letter)) continue;
    const changed = {
      casei: fold(letter),
      accenti: withoutMarks(letter),
      lower: letter.toLowerCase(),
      upper: letter.toUpperCase(),
    };
    if (Object.values(changed).some((other) => other !== letter)) letters.set(letter, { letter, ...changed });
  }
  return letters;
}

const ASCII = /^\p{ASCII}*$/u;

function by(change: keyof Omit<Letter, 'letter'>, ascii: (text: string) => string): (text: string) => string {
  return (text) => {
    if (ASCII.test(text)) return ascii(text);
    const letters = allLetters();
    return [...text].map((letter) => letters.get(letter)?.[change] ?? ascii(letter)).join('');
  };
}

const lower = (text: string): string => text.toLowerCase();

export const letters: Letters = {
  casei: by('casei', lower),
  accenti: by('accenti', (text) => text),
  lower: by('lower', lower),
  upper: by('upper', (text) => text.toUpperCase()),
};
