import type { Field } from '../model/field.ts';
import { partsOf } from '../model/joined-key.ts';
import type { Model } from '../model/model.ts';
import { isReverse } from '../model/relation.ts';
import type { Reverse, Step, Via } from '../model/relation.ts';
import { keyColumn } from '../sql/stored.ts';
import type { Spelled } from '../sql/stored.ts';

/** The condition that a row called `inside` is the one that a step leads to from the row called `row`. */
export function oneJoined(
  step: Step,
  target: Model,
  from: Model,
  inside: string,
  row: string,
  { name }: Spelled,
): string {
  return isReverse(step)
    ? alike({ field: relationField(target, step), row: inside }, { field: from.key, row }, name)
    : alike({ field: target.key, row: inside }, { field: step.field, row }, name);
}

/** The key of a record: its SQL, and where it is that of a row, the field and what the row is called. */
export interface SqlKey {
  readonly sql: string;
  readonly of?: FieldOfRow | undefined;
}

/** A field of a row, by what that is called. */
interface FieldOfRow {
  readonly field: Field;
  readonly row: string;
}

/**
 * What follows SELECT, up to the condition, to find the many records, called `inside`, that belong to the record with a
 * key. `links` is a name for the table between the two.
 */
export function manyJoined(
  via: Via,
  target: Model,
  key: SqlKey,
  inside: string,
  links: string,
  dialect: Spelled,
): string {
  const { name } = dialect;
  const table = `${name(target.table)} AS ${inside}`;
  if (isReverse(via)) {
    const field = relationField(target, via);
    const isSame =
      key.of?.field.parts === undefined
        ? `${keyColumn(dialect, field, inside)} = ${key.sql}`
        : alike({ field, row: inside }, key.of, name);
    return `FROM ${table} WHERE ${isSame}`;
  }
  return (
    `FROM ${name(via.table)} AS ${links} JOIN ${table}` +
    ` ON ${inside}.${name(target.key.column)} = ${links}.${name(via.far)} WHERE ${links}.${name(via.near)} = ${key.sql}`
  );
}

/** The same for the records that belong to any record whose key is among `keys`, a SELECT: each of them once. */
export function manyAmong(
  via: Via,
  target: Model,
  keys: string,
  inside: string,
  links: string,
  dialect: Spelled,
): string {
  const { name } = dialect;
  const from = (field: Field, among: string): string =>
    `FROM ${name(target.table)} AS ${inside} WHERE ${keyColumn(dialect, field, inside)} IN (${among})`;
  if (isReverse(via)) return from(relationField(target, via), keys);
  const [far, near] = [via.far, via.near].map((column) => `${links}.${name(column)}`);
  return from(target.key, `SELECT ${far} FROM ${name(via.table)} AS ${links} WHERE ${near} IN (${keys})`);
}

/** The condition that two fields have the same value: column by column, so that an index serves. */
function alike(one: FieldOfRow, other: FieldOfRow, name: Spelled['name']): string {
  const [left, right] = [one, other].map(({ field, row }) =>
    partsOf(field).map(({ column }) => `${row}.${name(column)}`),
  );
  return left!.map((column, at) => `${column} = ${right![at]!}`).join(' AND ');
}

/** The field of the relation that a reverse is the other end of. */
function relationField(source: Model, reverse: Reverse): Field {
  const relation = source.relations.find(({ name }) => name === reverse.relation);
  if (relation === undefined) throw new Error(`${source.name} has no such relation`);
  return relation.field;
}
