/** Where a text stops being JSON: the index of the first character that can't stand there, or its length. */
export function jsonFault(text: string): number {
  const open: ('{' | '[')[] = [];
  let at = 0;
  let awaits: 'value' | 'first-item' | 'first-name' | 'name' | 'colon' | 'end' = 'value';
  const take = (pattern: RegExp): boolean => {
    pattern.lastIndex = at;
    const found = pattern.exec(text)?.[0];
    if (found !== undefined) at += found.length;
    return found !== undefined;
  };
  for (;;) {
    while (SPACE.includes(text[at] ?? '-')) at += 1;
    const sign = text[at];
    if (sign === undefined) return at;
    if (awaits === 'colon') {
      if (sign !== ':') return at;
      awaits = 'value';
      at += 1;
    } else if (awaits === 'name' || awaits === 'first-name') {
      if (awaits === 'first-name' && sign === '}') {
        open.pop();
        at += 1;
        awaits = 'end';
      } else {
        if (sign !== '"' || !take(STRING)) return faultIn(text, at, sign);
        awaits = 'colon';
      }
    } else if (awaits === 'end') {
      const inside = open.at(-1);
      if (sign === ',' && inside !== undefined) awaits = inside === '{' ? 'name' : 'value';
      else if ((sign === '}' && inside === '{') || (sign === ']' && inside === '[')) open.pop();
      else return at;
      at += 1;
    } else if (awaits === 'first-item' && sign === ']') {
      open.pop();
      at += 1;
      awaits = 'end';
    } else if (sign === '{' || sign === '[') {
      open.push(sign);
      at += 1;
      awaits = sign === '{' ? 'first-name' : 'first-item';
    } else if (take(sign === '"' ? STRING : sign >= 'a' ? WORD : NUMBER)) awaits = 'end';
    else return faultIn(text, at, sign);
  }
}

const SPACE = ' \t\n\r';
const STRING = /"(?:[^"\\\u0000-\u001f]|\\(?:["\\/bfnrt]|u[0-9a-fA-F]{4}))*"/y; // eslint-disable-line no-control-regex
const NUMBER = /-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?/y;
const WORD = /true|false|null/y;

/** Inside of a text or a word that begins well. */
function faultIn(text: string, from: number, sign: string): number {
  if (sign === '"') {
    // eslint-disable-next-line no-control-regex -- JSON itself rules these characters out.
    const begun = /"(?:[^"\\\u0000-\u001f]|\\(?:["\\/bfnrt]|u[0-9a-fA-F]{4}))*/y;
    begun.lastIndex = from;
    const end = from + (begun.exec(text)?.[0].length ?? 0);
    if (text[end] !== '\\') return end;
    const escape = /\\(?:u[0-9a-fA-F]{0,3})?/y;
    escape.lastIndex = end;
    return end + escape.exec(text)![0].length;
  }
  if (sign === '-') return from + 1;
  const word = ['true', 'false', 'null'].find((one) => one.startsWith(sign)) ?? '';
  let at = 0;
  while (at < word.length && text[from + at] === word[at]) at += 1;
  return from + at;
}
