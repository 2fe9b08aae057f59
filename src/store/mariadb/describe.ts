import type { Description } from '../../core/tables/description.ts';
import type { Table } from '../../core/tables/table.ts';
import { referenceText } from './tables.ts';

const ofColumn = (name: string): string => `column ${name}`;

/** What a line of `SHOW CREATE TABLE` tells of, by how it begins. */
const PARTS: readonly (readonly [RegExp, (name: string) => string])[] = [
  [/^"([^"]+)" /, ofColumn],
  [/^PRIMARY KEY /, () => 'key'],
  [/^(?:UNIQUE )?KEY "([^"]+)" /, (name) => `index ${name}`],
  [/^CONSTRAINT "([^"]+)" FOREIGN KEY /, (name) => `reference ${name}`],
  [/^CONSTRAINT "([^"]+)" CHECK /, (name) => `rule ${name}`],
];

/** A table in MariaDB's own words, part by part. */
export function partsOf(created: string): Description[string] {
  const parts: Record<string, string> = {};
  for (const line of created.split('\n').slice(1, -1)) {
    const text = line.trim().replace(/,$/, '');
    for (const [form, part] of PARTS) {
      const found = form.exec(text);
      if (found !== null) parts[part(found[1] ?? '')] = part === ofColumn ? text.slice(found[0].length) : text;
    }
  }
  // An index that a reference has made for itself is a part of it.
  for (const part of Object.keys(parts)) {
    if (Object.hasOwn(parts, part.replace(/^index /, 'reference ')) && part.startsWith('index ')) delete parts[part];
  }
  return parts;
}

/** The parts that a table for a moment can't have. */
export const referencesOf = (table: Table): Description[string] =>
  Object.fromEntries(
    table.references.map((reference) => {
      const text = referenceText(table, reference);
      return [`reference ${/"([^"]+)"/.exec(text)![1]!}`, text];
    }),
  );
