import type { Field, Graph, Model, Relation } from '../model/graph.ts';
import { modelOf } from '../model/graph.ts';
import { shownSql } from '../query/shown-sql.ts';
import { derivedOf, isStored, wholeOf } from '../query/shown.ts';
import { readStatement, shownStatement } from '../query/statements.ts';
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
  /** One row: the record's JSON, and its key. It is null where more is shown than the row itself holds. */
  readonly insert: Statement;
  readonly inserted: readonly Field[];
  /** One row with the record's JSON, which nobody else can change until the transaction ends. */
  readonly readLocked: Statement;
  /** Sets `updated`, in that order, and takes the key last. One row with the record's JSON, or null. */
  readonly update: Statement;
  readonly updated: readonly Field[];
  /** One row with the record's JSON, as answers show it. */
  readonly read: ShownStatement;
  /** One row with the JSON of what is worked out from other values; undefined where nothing is. */
  readonly readDerived: ShownStatement | undefined;
  readonly delete: Statement;
  /** One row where another record has this slug: it, and the rest of its unique set. */
  readonly slugTaken: readonly SlugTaken[];
  /** One row where the record that a relation refers to is there. */
  readonly exists: ReadonlyMap<Relation, Statement>;
  readonly referrers: readonly Referrer[];
}

export function changeStatements(graph: Graph, model: Model, dialect: Dialect): ChangeStatements {
  const { name, placeholder } = dialect;
  const table = name(model.table);
  const key = name(model.key.column);
  const whole = wholeOf(graph, model);
  const json = isStored(whole) ? dialect.text(shownSql(graph, model, whole, dialect, 0).json) : 'NULL';
  const derived = derivedOf(graph, model);
  const places = (fields: readonly Field[]): string => fields.map((_field, index) => placeholder(index + 1)).join(', ');

  const inserted = model.keyKind === 'serial' ? model.fields.filter((field) => field !== model.key) : model.fields;
  const updated = model.fields.filter((field) => field !== model.key && field.member !== 'created_at');
  const sets = updated.map((field, index) => `${name(field.column)} = ${placeholder(index + 1)}`).join(', ');
  const columns = inserted.map((field) => name(field.column)).join(', ');
  return {
    insert: { sql: `INSERT INTO ${table} (${columns}) VALUES (${places(inserted)}) RETURNING ${json}, ${key}` },
    inserted,
    readLocked: readStatement(model, model.fields, dialect, true),
    update: { sql: `UPDATE ${table} SET ${sets} WHERE ${key} = ${placeholder(updated.length + 1)} RETURNING ${json}` },
    updated,
    read: shownStatement(graph, model, whole, dialect, false),
    readDerived: derived.length === 0 ? undefined : shownStatement(graph, model, derived, dialect, false),
    slugTaken: slugsOf(model, dialect),
    delete: { sql: `DELETE FROM ${table} WHERE ${key} = ${placeholder(1)}` },
    exists: new Map(model.relations.map((relation) => [relation, existsStatement(graph, relation, dialect)])),
    referrers: referrersOf(graph, model, dialect),
  };
}

/** How to find out whether a slug is free. */
export interface SlugTaken {
  readonly field: Field;
  readonly source: string;
  /** Among the records that have the same values of these; the slug itself comes last. Undefined where it need not be unique. */
  readonly set?: { readonly fields: readonly Field[]; readonly statement: Statement };
}

function slugsOf(model: Model, { name, placeholder }: Dialect): SlugTaken[] {
  return model.fields.flatMap((field): SlugTaken[] => {
    if (field.derivedFrom === undefined) return [];
    const unique = model.unique.find((set) => set.includes(field));
    if (unique === undefined) return [{ field, source: field.derivedFrom }];
    const fields = [...unique.filter((other) => other !== field), field];
    const same = fields.map((other, index) => `${name(other.column)} = ${placeholder(index + 1)}`).join(' AND ');
    const statement = { sql: `SELECT 1 FROM ${name(model.table)} WHERE ${same}` };
    return [{ field, source: field.derivedFrom, set: { fields, statement } }];
  });
}

function existsStatement(graph: Graph, relation: Relation, { name, placeholder }: Dialect): Statement {
  const target = modelOf(graph, relation.target);
  return { sql: `SELECT 1 FROM ${name(target.table)} WHERE ${name(target.key.column)} = ${placeholder(1)}` };
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
