import { pointerTo } from '../api/failure.ts';
import type { Failure } from '../api/failure.ts';
import type { Field } from '../model/field.ts';
import type { Model } from '../model/model.ts';
import type { Scalar } from '../model/scalar.ts';
import { worded } from '../rules/message.ts';
import type { Values } from '../rules/schema.ts';
import type { Dialect } from '../sql/dialect.ts';
import { fieldIs } from '../sql/stored.ts';
import { spoken } from '../text/names.ts';
import type { UnitOfWork } from './unit-of-work.ts';

/** What is told of members whose values another record has. */
export function takenFailure({ name }: Pick<Model, 'name'>, fields: readonly Field[]): Failure {
  const last = fields.at(-1)!;
  const names = fields.map(({ member }) => member).join(' and ');
  const detail = worded(last, 'unique', `another ${spoken(name)} has this ${names}`);
  return { pointer: pointerTo(last.member), rule: 'unique', detail };
}

/** The sets of members of which no two records have the same values; a key that clients give is one of a new record. */
export const uniqueSets = ({ unique, keyKind, key }: Model): readonly (readonly Field[])[] =>
  keyKind === 'field' ? [...unique, [key]] : unique;

/** Looks which values of a record are taken, but for sets with one of `unknown`. `key` is that of a stored record. */
export type TakenFinder = (
  work: UnitOfWork,
  values: Values,
  key: Scalar | undefined,
  unknown: ReadonlySet<string>,
) => Promise<Failure[]>;

export function takenFinder(model: Model, dialect: Dialect): TakenFinder {
  const { name, placeholder } = dialect;
  const sets = uniqueSets(model).map((fields) => {
    const same = fields.map((field, at) => fieldIs(dialect, field, placeholder(at + 1))).join(' AND ');
    const select = `SELECT 1 FROM ${name(model.table)} WHERE ${same}`;
    const other = `${select} AND NOT (${fieldIs(dialect, model.key, placeholder(fields.length + 1))})`;
    return { fields, ofNew: { sql: select }, ofStored: { sql: other } };
  });
  return async ({ transaction }, values, key, unknown) => {
    const failures: Failure[] = [];
    for (const { fields, ofNew, ofStored } of sets) {
      if (fields.some(({ member }) => unknown.has(member) || (values[member] ?? null) === null)) continue;
      const bound = fields.map((field) => dialect.bind(field, values[field.member]!));
      const found =
        key === undefined
          ? await transaction.first(ofNew, bound)
          : await transaction.first(ofStored, [...bound, dialect.bind(model.key, key)]);
      if (found !== undefined) failures.push(takenFailure(model, fields));
    }
    return failures;
  };
}
