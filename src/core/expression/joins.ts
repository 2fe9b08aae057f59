import type { Model } from '../model/model.ts';
import { isReverse } from '../model/relation.ts';
import type { Reverse, Step, Via } from '../model/relation.ts';

/** The condition that a row called `inside` is the one that a step leads to from the row called `row`. */
export function oneJoined(step: Step, target: Model, from: Model, inside: string, row: string, name: Name): string {
  return isReverse(step)
    ? `${inside}.${name(relationColumn(target, step))} = ${row}.${name(from.key.column)}`
    : `${inside}.${name(target.key.column)} = ${row}.${name(step.field.column)}`;
}

/**
 * What follows SELECT, up to the condition, to find the many records, called `inside`, that belong to the record with a
 * key. `links` is a name for the table between the two.
 */
export function manyJoined(via: Via, target: Model, key: string, inside: string, links: string, name: Name): string {
  const table = `${name(target.table)} AS ${inside}`;
  if (isReverse(via)) return `FROM ${table} WHERE ${inside}.${name(relationColumn(target, via))} = ${key}`;
  return (
    `FROM ${name(via.table)} AS ${links} JOIN ${table}` +
    ` ON ${inside}.${name(target.key.column)} = ${links}.${name(via.far)} WHERE ${links}.${name(via.near)} = ${key}`
  );
}

/** The same for the records that belong to any record whose key is among `keys`, a SELECT: each of them once. */
export function manyAmong(via: Via, target: Model, keys: string, inside: string, links: string, name: Name): string {
  const from = (column: string, among: string): string =>
    `FROM ${name(target.table)} AS ${inside} WHERE ${inside}.${name(column)} IN (${among})`;
  if (isReverse(via)) return from(relationColumn(target, via), keys);
  const [far, near] = [via.far, via.near].map((column) => `${links}.${name(column)}`);
  return from(target.key.column, `SELECT ${far} FROM ${name(via.table)} AS ${links} WHERE ${near} IN (${keys})`);
}

/** Quotes an identifier. */
type Name = (identifier: string) => string;

/** The column of the relation that a reverse is the other end of. */
function relationColumn(source: Model, reverse: Reverse): string {
  const relation = source.relations.find(({ name }) => name === reverse.relation);
  if (relation === undefined) throw new Error(`${source.name} has no such relation`);
  return relation.field.column;
}
