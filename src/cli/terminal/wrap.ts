/** A text as lines of limited length, broken at blanks; all but the first begin with `indent`. */
export function wrap(text: string, width: number, indent = ''): string[] {
  const lines = [''];
  for (const word of text.split(' ')) {
    const last = lines.at(-1)!;
    if (last !== '' && last.length + 1 + word.length > width) lines.push(indent + word);
    else lines[lines.length - 1] = last === '' ? word : `${last} ${word}`;
  }
  return lines;
}
