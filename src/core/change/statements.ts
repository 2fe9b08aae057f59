import type { Field, Graph, Model, Relation } from '../model/graph.ts';
import { modelOf } from '../model/graph.ts';
import { shownSql } from '../query/shown-sql.ts';
import { derivedOf, isOpen, isStored, storedOf, wholeOf } from '../query/shown.ts';
import { shownStatement, storedStatement, storedText } from '../query/statements.ts';
import type { ShownStatement } from '../query/statements.ts';
import type { Statement } from '../store/contract.ts';
import type { Dialect } from '../store/dialect.ts';

/** Something that keeps records of a model from being deleted. */
export interface Referrer {
  readonly model: Model;
  readonly relation: Relation;
  /** One row with the number of records that refer to a key. */
  readonly count: Statement;
}

/** Every statement that the writes of a model need, made once. */
export interface ChangeStatements {
  /** One row: the record's key, what answers show of it, and all that is stored of it. */
  readonly insert: Statement;
  readonly inserted: readonly Field[];
  /** One row with all that is stored of a record, as JSON; locked, so that nobody else changes it until the transaction ends. */
  readonly readLocked: Statement;
  /** Sets `updated`, in that order, and takes the key last. One row, like that of `insert`. */
  readonly update: Statement;
  readonly updated: readonly Field[];
  /** Whether the texts of that row are the record's: it is more than its row where it is linked or computed. */
  readonly returnsAll: boolean;
  /** One row: what answers show of a record, and all that is stored of it. */
  readonly readShown: ShownStatement;
  /** One row with the JSON of what is worked out from other values; undefined where nothing is. */
  readonly readDerived: ShownStatement | undefined;
  readonly delete: Statement;
  /** One row: for each relation of the model, whether the record that it would refer to is there. */
  readonly exist: Statement;
  readonly referrers: readonly Referrer[];
}

export function changeStatements(graph: Graph, model: Model, dialect: Dialect): ChangeStatements {
  const { name, placeholder } = dialect;
  const table = name(model.table);
  const key = name(model.key.column);
  const whole = wholeOf(graph, model);
  const returnsAll = isStored(whole) && isStored(storedOf(model));
  const json = returnsAll ? dialect.text(shownSql(graph, model, whole, dialect, 0).json) : 'NULL';
  const stored = !returnsAll || isOpen(graph, model) ? 'NULL' : storedText(graph, model, dialect);
  const returned = `${key}, ${json}, ${stored}`;
  const derived = derivedOf(graph, model);
  const places = (fields: readonly Field[]): string => fields.map((_field, index) => placeholder(index + 1)).join(', ');

  const inserted = model.keyKind === 'serial' ? model.fields.filter((field) => field !== model.key) : model.fields;
  const updated = model.fields.filter((field) => field !== model.key && field.member !== 'created_at');
  const sets = updated.map((field, index) => `${name(field.column)} = ${placeholder(index + 1)}`).join(', ');
  const columns = inserted.map((field) => name(field.column)).join(', ');
  return {
    insert: { sql: `INSERT INTO ${table} (${columns}) VALUES (${places(inserted)}) RETURNING ${returned}` },
    inserted,
    readLocked: storedStatement(graph, model, dialect, true),
    update: {
      sql: `UPDATE ${table} SET ${sets} WHERE ${key} = ${placeholder(updated.length + 1)} RETURNING ${returned}`,
    },
    updated,
    returnsAll,
    readShown: shownStatement(graph, model, whole, dialect, !isOpen(graph, model)),
    readDerived: derived.length === 0 ? undefined : shownStatement(graph, model, derived, dialect, false),
    delete: { sql: `DELETE FROM ${table} WHERE ${key} = ${placeholder(1)}` },
    exist: existStatement(graph, model.relations, dialect),
    referrers: referrersOf(graph, model, dialect),
  };
}

function existStatement(graph: Graph, relations: readonly Relation[], { name, placeholder }: Dialect): Statement {
  const looks = relations.map(({ target }, at) => {
    const other = modelOf(graph, target);
    return `EXISTS (SELECT 1 FROM ${name(other.table)} WHERE ${name(other.key.column)} = ${placeholder(at + 1)})`;
  });
  return { sql: `SELECT ${looks.join(', ')}` };
}

function referrersOf(graph: Graph, model: Model, { name, placeholder }: Dialect): Referrer[] {
  return graph.models.flatMap((other) =>
    other.relations
      .filter((relation) => relation.target === model.name && relation.onDelete === 'restrict')
      .map((relation) => {
        const column = name(relation.field.column);
        return {
          model: other,
          relation,
          count: { sql: `SELECT count(*) FROM ${name(other.table)} WHERE ${column} = ${placeholder(1)}` },
        };
      }),
  );
}
