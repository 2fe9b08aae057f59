import type { Document } from 'yaml';
import { yaml } from '../core/text/libraries.ts';

/** The text of a value as YAML, in which `compact` says what stands on one line. */
export function yamlText(value: unknown, compact: (document: Document) => void): string {
  const document = new (yaml().Document)(value);
  compact(document);
  return document.toString({ lineWidth: 0, flowCollectionPadding: true });
}

/** Puts each item of these members on a line of its own. */
export function eachOnALine(document: Document, members: readonly string[]): void {
  for (const member of members) for (const item of itemsOf(document.get(member))) onALine(item);
}

/** The values of a map, or the items of a list. */
export function itemsOf(of: unknown): unknown[] {
  const { isMap, isSeq } = yaml();
  if (isMap(of)) return of.items.map(({ value }) => value);
  return isSeq(of) ? of.items : [];
}

/** Puts a map or a list on one line. */
export function onALine(value: unknown): void {
  const { isMap, isSeq } = yaml();
  if (isMap(value) || isSeq(value)) value.flow = true;
}

/** Text of a model's file: lists without blanks inside of their brackets, and a blank line before these members. */
export const modelFileText = (text: string, apart: readonly string[]): string =>
  text.replaceAll(new RegExp(`^(${apart.join('|')}):`, 'gm'), '\n$1:').replaceAll(/\[ (.*?) \]/g, '[$1]');
