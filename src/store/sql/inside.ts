import type { Column, PropertyShape, Shape } from '../../core/tables/table.ts';
import type { Converted } from './converted.ts';
import { quoteText } from './quote.ts';

/** A kind of JSON value. */
export type JsonKind = 'null' | 'text' | 'integer' | 'number' | 'boolean' | 'array' | 'object';

/**
 * What databases spell differently of values inside JSON. An expression of JSON is null where there is no such value.
 */
export interface InsideSpelling {
  is(kind: JsonKind, json: string): string;
  /** What stands at a name. */
  child(json: string, name: string): string;
  /** A JSON text as SQL's text. */
  text(json: string): string;
  /** A SELECT's source with a row for each item of an array, and the item. */
  items(json: string, alias: string): { readonly from: string; readonly item: string };
  /** The same of the members of an object, and their names. */
  members(json: string, alias: string): { readonly from: string; readonly name: string; readonly value: string };
  /** An array of JSON values, in the order of the source. */
  array(value: string, from: string, alias: string): string;
  object(name: string, value: string, from: string, where: string, alias: string): string;
  /** What a text becomes in a type. */
  fromText(to: Column, x: string): Converted;
  asText(column: Column, x: string): string;
}

/** A SELECT's source, and its condition where it has one. */
export const sourceText = (from: string, where = 'TRUE'): string =>
  ` FROM ${from}${where === 'TRUE' ? '' : ` WHERE ${where}`}`;

/** What the value of a column becomes whose insides have another shape. */
export function convertedInside(from: Column, to: Column, x: string, spell: InsideSpelling): Converted {
  if (to.shape === undefined) return { value: x };
  const expected = from.shape === undefined ? to.shape : inOldNames(from.shape, to.shape);
  const value = from.shape === undefined ? x : reshaped(from.shape, to.shape, x, spell, 1);
  return { value, fits: conforms(expected, x, spell, 1) };
}

/** A shape as values have it before the change: under the old names, with members that go, whatever those hold. */
function inOldNames(before: Shape, after: Shape): Shape {
  if (before.type !== after.type) return after;
  if (before.items !== undefined && after.items !== undefined) {
    return { ...after, items: inOldNames(before.items, after.items) };
  }
  if (before.properties === undefined || after.properties === undefined) return after;
  const old = Object.entries(before.properties);
  const names = new Map(old.map(([name, { becomes = name }]) => [becomes, name]));
  const expected = Object.entries(after.properties).map(([name, property]): [string, PropertyShape] => {
    const was = names.get(name) ?? name;
    const had = old.find(([other]) => other === was && names.get(name) === was)?.[1];
    return [was, had === undefined ? property : { ...inOldNames(had, property), required: property.required }];
  });
  const going = goneMembers(before, after).map((name): [string, PropertyShape] => [
    name,
    { type: 'json', scale: 0, required: false },
  ]);
  return { ...after, properties: Object.fromEntries([...going, ...expected]) };
}

/** The members of an object that go. */
export const goneMembers = (before: Shape, after: Shape): string[] =>
  Object.entries(before.properties ?? {})
    .filter(([name, { becomes = name }]) => !Object.hasOwn(after.properties ?? {}, becomes))
    .map(([name]) => name);

/** Whether a value has a shape, all the way down. It is never null. */
function conforms(shape: Shape, x: string, spell: InsideSpelling, depth: number): string {
  const only = (kind: JsonKind, inner: string): string => `CASE WHEN ${spell.is(kind, x)} THEN ${inner} ELSE FALSE END`;
  switch (shape.type) {
    case 'json':
      return 'TRUE';
    case 'string':
    case 'text':
    case 'email':
    case 'uri':
    case 'secret':
      return spell.is('text', x);
    case 'integer':
    case 'number':
    case 'boolean':
      return spell.is(shape.type, x);
    case 'array': {
      if (shape.items === undefined) return spell.is('array', x);
      const { from, item } = spell.items(x, `e${depth}`);
      const fits = conforms(shape.items, item, spell, depth + 1);
      return only('array', `NOT EXISTS (SELECT 1 FROM ${from} WHERE (${fits}) IS NOT TRUE)`);
    }
    case 'object': {
      const properties = Object.entries(shape.properties ?? {});
      const { from, name } = spell.members(x, `e${depth}`);
      const known = properties.map(([property]) => quoteText(property)).join(', ');
      const strange = known === '' ? 'TRUE' : `${name} NOT IN (${known})`;
      const conditions = properties.map(([property, inner]) => {
        const child = spell.child(x, property);
        const empty = `${child} IS NULL OR ${spell.is('null', child)}`;
        const fits = conforms(inner, child, spell, depth + 1);
        return `CASE WHEN ${empty} THEN ${inner.required ? 'FALSE' : 'TRUE'} ELSE (${fits}) IS TRUE END`;
      });
      return only('object', [`NOT EXISTS (SELECT 1 FROM ${from} WHERE ${strange})`, ...conditions].join(' AND '));
    }
    default: {
      const column = { ...shape, name: '', member: '', nullable: true, serial: false, checks: [] };
      const text = spell.text(x);
      const { value, fits = 'TRUE' } = spell.fromText(column, text);
      // In the one form that the service gives it.
      return only('text', `CASE WHEN ${fits} THEN ${spell.asText(column, value)} = ${text} ELSE FALSE END`);
    }
  }
}

/** A value with the names that its members get, and without those that go; `x` itself where that is all the same. */
function reshaped(before: Shape, after: Shape, x: string, spell: InsideSpelling, depth: number): string {
  const alias = `r${depth}`;
  // There may be null, or nothing.
  const only = (kind: JsonKind, made: string): string => `CASE WHEN ${spell.is(kind, x)} THEN ${made} ELSE ${x} END`;
  if (before.items !== undefined && after.items !== undefined) {
    const { from, item } = spell.items(x, alias);
    const value = reshaped(before.items, after.items, item, spell, depth + 1);
    return value === item ? x : only('array', spell.array(value, from, alias));
  }
  if (before.properties === undefined || after.properties === undefined) return x;
  const { from, name, value } = spell.members(x, alias);
  const gone = goneMembers(before, after);
  const names: string[] = [];
  const values: string[] = [];
  for (const [old, inner] of Object.entries(before.properties)) {
    const now = inner.becomes ?? old;
    if (gone.includes(old)) continue;
    if (now !== old) names.push(`WHEN ${quoteText(old)} THEN ${quoteText(now)}`);
    const inside = reshaped(inner, after.properties[now]!, value, spell, depth + 1);
    if (inside !== value) values.push(`WHEN ${quoteText(old)} THEN ${inside}`);
  }
  if (gone.length + names.length + values.length === 0) return x;
  const chosen = (cases: readonly string[], other: string): string =>
    cases.length === 0 ? other : `CASE ${name} ${cases.join(' ')} ELSE ${other} END`;
  const where = gone.length === 0 ? 'TRUE' : `${name} NOT IN (${gone.map(quoteText).join(', ')})`;
  return only('object', spell.object(chosen(names, name), chosen(values, value), from, where, alias));
}

/** That there is a value at a path of names, `*` for each item of an array. */
export function insideSql(path: readonly string[], x: string, spell: InsideSpelling, depth = 1): string {
  const [step, ...rest] = path;
  if (step === undefined) return `${x} IS NOT NULL AND NOT (${spell.is('null', x)})`;
  if (step !== '*') return insideSql(rest, spell.child(x, step), spell, depth);
  const { from, item } = spell.items(x, `i${depth}`);
  const some = `EXISTS (SELECT 1 FROM ${from} WHERE ${insideSql(rest, item, spell, depth + 1)})`;
  return `CASE WHEN ${spell.is('array', x)} THEN ${some} ELSE FALSE END`;
}
