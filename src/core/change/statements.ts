import { both } from '../access/condition.ts';
import type { Condition } from '../access/condition.ts';
import type { Permissions } from '../access/permissions.ts';
import type { EvaluationContext } from '../expression/context.ts';
import type { Field } from '../model/field.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import { keyFields, storedFields } from '../model/joined-key.ts';
import type { Model } from '../model/model.ts';
import { linkedOf } from '../model/related.ts';
import type { Relation } from '../model/relation.ts';
import { maskProjection } from '../query/mask-projection.ts';
import { projectionSql } from '../query/projection-sql.ts';
import { derivedOf, isOpen, isStored, storedOf, wholeOf } from '../query/projection.ts';
import { guardSql, projectionStatement, storedStatement, storedText, thereStatement } from '../query/statements.ts';
import type { ProjectionStatement } from '../query/statements.ts';
import { labelOf, templateSql } from '../query/template-sql.ts';
import type { TemplateSql } from '../query/template-sql.ts';
import type { Dialect } from '../sql/dialect.ts';
import { parametersOf } from '../sql/parameters.ts';
import type { Statement, StoreValue } from '../sql/statement.ts';
import { columnValue, fieldIs, kept, keyOrder } from '../sql/stored.ts';

/** A statement, and the values of its last placeholders. */
export interface Valued extends Statement {
  values(evaluation: EvaluationContext): StoreValue[];
}

/** A relation that can prevent the delete of a record. */
export interface Referrer {
  readonly model: Model;
  readonly relation: Relation;
  /** One row with the number of records that refer to a key, and of those that the caller may read. */
  readonly count: Valued;
  /** What the first few of those are called: a row each, which `write` makes a text of. */
  readonly labels: Valued & Pick<TemplateSql, 'write'>;
}

/** Every statement that the writes of a model need, made once. */
export interface ChangeStatements {
  /** One row: the record's key, what answers show of it, and all that is stored of it. */
  readonly insert: Statement;
  readonly inserted: readonly Field[];
  /**
   * One row with all that is stored of a record, as JSON; locked, so that nobody else changes it until the transaction
   * ends.
   */
  readonly readLocked: Statement;
  /** Sets `updated`, in that order, with the key as the last parameter. One row, like that of `insert`. */
  readonly update: Statement;
  readonly updated: readonly Field[];
  /** Whether that row has the whole record: not if it has links or computed values. */
  readonly returnsAll: boolean;
  readonly delete: Statement;
}

export function changeStatements(graph: Graph, model: Model, dialect: Dialect): ChangeStatements {
  const { name, placeholder } = dialect;
  const table = name(model.table);
  const whole = wholeOf(graph, model);
  const returnsAll = isStored(whole) && isStored(storedOf(model));
  const json = returnsAll ? dialect.text(projectionSql(graph, model, whole, dialect, parametersOf(dialect))) : 'NULL';
  const stored = !returnsAll || isOpen(graph, model) ? 'NULL' : storedText(graph, model, dialect);
  const returned = `${columnValue(dialect, model.key)}, ${json}, ${stored}`;
  const places = (fields: readonly Field[]): string =>
    fields.map((field, index) => kept(dialect, field, placeholder(index + 1))).join(', ');

  const written = storedFields(model).filter(({ stored }) => stored?.made !== true);
  const inserted = model.keyKind === 'serial' ? written.filter((field) => field !== model.key) : written;
  const fixed = [...keyFields(model), model.stamps.created];
  const updated = written.filter((field) => !fixed.includes(field));
  const sets = updated
    .map((field, index) => `${name(field.column)} = ${kept(dialect, field, placeholder(index + 1))}`)
    .join(', ');
  const own = fieldIs(dialect, model.key, placeholder(updated.length + 1));
  const columns = inserted.map((field) => name(field.column)).join(', ');
  return {
    insert: { sql: `INSERT INTO ${table} (${columns}) VALUES (${places(inserted)}) RETURNING ${returned}` },
    inserted,
    readLocked: storedStatement(graph, model, dialect, true),
    update: dialect.returning({ table, change: `UPDATE ${table} SET ${sets} WHERE ${own}`, returned, where: own }),
    updated,
    returnsAll,
    delete: { sql: `DELETE FROM ${table} WHERE ${fieldIs(dialect, model.key, placeholder(1))}` },
  };
}

/** The queries of writes for one kind of viewer. */
export interface LookUps {
  /** Whether they see all of every record. */
  readonly seesAll: boolean;
  /** One row: what answers show of a record, and all that is stored of it; none where it may not be read. */
  readonly readProjection: ProjectionStatement;
  /** One row with the JSON of computed members; undefined if there are none. */
  readonly readDerived: ProjectionStatement | undefined;
  /** One row: for each relation of the model, whether the record with the new key exists and can be read. */
  readonly exist: Valued;
  /**
   * Whether the references of a new record's table say the same: every record can be read that it may refer to, and
   * none is the new one.
   */
  readonly areHeld: boolean;
  /** The same for one record of a many-to-many relation, by its member. */
  readonly linked: ReadonlyMap<string, Valued>;
  readonly referrers: readonly Referrer[];
}

export function lookUps(model: Model, permissions: Permissions, dialect: Dialect): LookUps {
  const { graph } = permissions;
  const whole = wholeOf(graph, model);
  const seen = maskProjection(permissions, model, whole);
  const guard = permissions.may(model, 'read');
  const derived = maskProjection(permissions, model, derivedOf(graph, model));
  return {
    seesAll: guard === true && seen.length === whole.length && seen.every((member, at) => member === whole[at]),
    readProjection: projectionStatement(graph, model, seen, dialect, { whole: !isOpen(graph, model), guard }),
    readDerived: derived.length === 0 ? undefined : projectionStatement(graph, model, derived, dialect),
    exist: existStatement(model, permissions, dialect),
    areHeld:
      // Tables that were there before have the references that they have.
      graph.fitted === undefined &&
      !graph.service.isTakenOver &&
      linkedOf(model).length === 0 &&
      model.relations.every(
        ({ target }) => target !== model.name && permissions.may(modelOf(graph, target), 'read') === true,
      ),
    linked: new Map(
      linkedOf(model).map((links) => [
        links.member,
        thereStatement(graph, modelOf(graph, links.target), dialect, permissions.reaches(model, links)),
      ]),
    ),
    referrers: referrersOf(model, permissions, dialect),
  };
}

function existStatement(model: Model, permissions: Permissions, dialect: Dialect): Valued {
  const { name, placeholder } = dialect;
  const { graph } = permissions;
  const parameters = parametersOf<EvaluationContext>(dialect, model.relations.length);
  const looks = model.relations.map((relation, at) => {
    const other = modelOf(graph, relation.target);
    // A new record's grants may depend on its parent, so the parent is asked.
    const guard = guardSql(graph, other, permissions.may(other, 'read'), dialect, parameters);
    const key = fieldIs(dialect, other.key, placeholder(at + 1));
    return `EXISTS (SELECT 1 FROM ${name(other.table)} WHERE ${key}${guard})`;
  });
  return { sql: `SELECT ${looks.join(', ')}`, values: parameters.values };
}

function referrersOf(model: Model, permissions: Permissions, dialect: Dialect): Referrer[] {
  return permissions.graph.models.flatMap((other) =>
    other.relations
      .filter((relation) => relation.target === model.name && relation.onDelete === 'restrict')
      .map((relation) => referrerOf(other, relation, permissions, dialect)),
  );
}

/** Referring records are named in a refusal up to this many. */
const MOST_NAMED = 3;

function referrerOf(other: Model, relation: Relation, permissions: Permissions, dialect: Dialect): Referrer {
  const { name, placeholder } = dialect;
  const { graph } = permissions;
  const table = name(other.table);
  const guard = readWith(permissions, other, relation);
  const from = `FROM ${table} WHERE ${fieldIs(dialect, relation.field, placeholder(1), table)}`;

  const counting = parametersOf<EvaluationContext>(dialect, 1);
  const guarded = guardSql(graph, other, guard, dialect, counting);
  const count = `SELECT (SELECT count(*) ${from}), (SELECT count(*) ${from}${guarded})`;

  const naming = parametersOf<EvaluationContext>(dialect, 1);
  const { values, write } = templateSql(labelOf(other), graph, other, dialect, naming);
  const readable = guardSql(graph, other, guard, dialect, naming);
  const order = keyOrder(dialect, other, table);
  const labels = `SELECT ${values} ${from}${readable} ORDER BY ${order} LIMIT ${MOST_NAMED}`;
  return {
    model: other,
    relation,
    count: { sql: count, values: counting.values },
    labels: { sql: labels, values: naming.values, write },
  };
}

/** The condition that a record and its relation can be read. */
const readWith = (permissions: Permissions, other: Model, relation: Relation): Condition =>
  both(permissions.may(other, 'read'), permissions.sees(other, relation.field.member));
