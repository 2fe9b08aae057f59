import { HttpProblem } from '../api/problems.ts';
import type { Field } from '../model/field.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import type { Relation } from '../model/relation.ts';
import type { Scalar } from '../model/scalar.ts';
import { isSame } from '../model/value.ts';
import { ownBody } from '../rules/schema.ts';
import type { Dialect } from '../sql/dialect.ts';
import type { Statement } from '../sql/statement.ts';
import { fieldIs, keyColumn, keyOrder } from '../sql/stored.ts';
import type { Code } from './code.ts';
import type { Writing } from './contract.ts';
import type { UnitOfWork } from './unit-of-work.ts';

/** The cascades of a model's records that the service itself carries out. */
export interface Cascade {
  /** Deletes a record and its cascade, children first; false if the database does that itself. */
  delete(work: UnitOfWork, key: Scalar): Promise<boolean>;
}

/** Records of another model that refer to one of this model. */
interface Edge {
  readonly model: Model;
  readonly relation: Relation;
  /** Selects their keys by the key that they refer to, up to a limit. */
  readonly keys: Statement;
}

/** A record that goes. */
interface Doomed {
  readonly model: Model;
  readonly key: Scalar;
}

/** What cascades are carried out with. */
interface CascadeWork {
  readonly dialect: Dialect;
  readonly most: number;
  readonly writing: Writing;
  readonly below: (other: Model) => readonly Edge[];
}

export function cascadeOf(model: Model, writing: Writing): Cascade {
  const { graph, dialect } = writing;
  const most = graph.service.limits.cascade;
  const own = edgesOf(graph, model, writing.code, dialect);
  if (own.length === 0) {
    const along = alongStatement(graph, model, dialect);
    return {
      async delete(work, key) {
        // The database does it at once, within the same limit.
        const found = along && (await work.transaction.first(along, [dialect.bind(model.key, key), most + 1]));
        if (Number(found?.[0] ?? 0) > most) throw tooManyAlong(most);
        return false;
      },
    };
  }
  // The edges to models below, made at their first use: models may refer to each other in a circle.
  const known = new Map<Model, readonly Edge[]>([[model, own]]);
  const below = (other: Model): readonly Edge[] => {
    let edges = known.get(other);
    if (edges === undefined) known.set(other, (edges = edgesOf(graph, other, writing.code, dialect)));
    return edges;
  };
  const place = new Map(graph.models.map((one, at) => [one, at]));

  const cascade: CascadeWork = { dialect, most, writing, below };
  return {
    async delete(work, key) {
      const found = new Map<string, Doomed>();
      await gather(cascade, work, { model, key }, found);
      // Referring records are deleted before those that they refer to; within a model, the latest found first.
      const order = [...found.values()].reverse();
      order.sort((one, other) => place.get(other.model)! - place.get(one.model)!);
      for (const one of order) {
        await letGo(cascade, work, one);
        const changes = writing.changesOf(one.model);
        // Read again: a hook of an earlier delete may have changed it.
        await changes.remove(work, one.key, await changes.lock(work, one.key));
      }
      return true;
    },
  };
}

async function keysAt(
  { dialect, most }: CascadeWork,
  work: UnitOfWork,
  edge: Edge,
  target: Model,
  key: Scalar,
  room: number,
): Promise<Scalar[]> {
  const bound = [dialect.bind(target.key, key), room + 1];
  const keys = (await work.transaction.all(edge.keys, bound)).map(([found]) => found as Scalar);
  if (keys.length > room) {
    throw tooManyAlong(most);
  }
  return keys;
}

/** Locks a record, and returns whether it still exists and still refers to another: it was found without a lock. */
async function stillRefers(
  { writing }: CascadeWork,
  work: UnitOfWork,
  { model: other, relation }: Edge,
  key: Scalar,
  target: Scalar,
): Promise<boolean> {
  try {
    const record = await writing.changesOf(other).lock(work, key);
    return isSame(record[relation.field.member], target);
  } catch (error) {
    if (error instanceof HttpProblem && error.problem === 'not-found') return false;
    throw error;
  }
}

async function gather(cascade: CascadeWork, work: UnitOfWork, one: Doomed, found: Map<string, Doomed>): Promise<void> {
  const { below, most } = cascade;
  found.set(nameOf(one.model, one.key), one);
  for (const edge of below(one.model)) {
    if (edge.relation.onDelete !== 'cascade') continue;
    for (const key of await keysAt(cascade, work, edge, one.model, one.key, most + 1 - found.size)) {
      if (found.has(nameOf(edge.model, key))) continue;
      if (!(await stillRefers(cascade, work, edge, key, one.key))) continue;
      await gather(cascade, work, { model: edge.model, key }, found);
    }
  }
}

async function letGo(cascade: CascadeWork, work: UnitOfWork, one: Doomed): Promise<void> {
  const { below, most, writing } = cascade;
  for (const edge of below(one.model)) {
    if (edge.relation.onDelete !== 'clear') continue;
    const body = ownBody({ [edge.relation.field.member]: null });
    for (const key of await keysAt(cascade, work, edge, one.model, one.key, most)) {
      if (await stillRefers(cascade, work, edge, key, one.key))
        await writing.changesOf(edge.model).change(work, 'update', key, body);
    }
  }
}

const tooManyAlong = (most: number): HttpProblem =>
  new HttpProblem('too-many-at-once', `more than ${most} records would change along with it`);

const nameOf = (model: Model, key: Scalar): string => `${model.name}/${String(key)}`;

/** The edges to a model that the database cannot handle alone. */
function edgesOf(graph: Graph, model: Model, code: Code, dialect: Dialect): Edge[] {
  return graph.models.flatMap((other) =>
    other.relations
      .filter(({ target, onDelete }) => target === model.name && onDelete !== 'restrict')
      .filter(({ onDelete }) => isWatched(other, code) || (onDelete === 'cascade' && goesDeeper(graph, other, code)))
      .map((relation) => ({ model: other, relation, keys: keysStatement(other, relation, dialect) })),
  );
}

/** Whether a change or delete of this model's records has to be noted. */
const isWatched = ({ name, draws, journal }: Model, code: Code): boolean =>
  code.hooks.has(name) || draws.length > 0 || journal;

/** Whether a cascade of this model's records has to be noted. */
function goesDeeper(graph: Graph, model: Model, code: Code, seen: ReadonlySet<string> = new Set()): boolean {
  if (seen.has(model.name)) return false;
  const inside = new Set([...seen, model.name]);
  return graph.models.some((other) =>
    other.relations.some(
      ({ target, onDelete }) =>
        target === model.name &&
        onDelete !== 'restrict' &&
        (isWatched(other, code) || (onDelete === 'cascade' && goesDeeper(graph, other, code, inside))),
    ),
  );
}

function keysStatement(model: Model, { field }: Relation, dialect: Dialect): Statement {
  const { name, placeholder } = dialect;
  return {
    sql:
      `SELECT ${keyColumn(dialect, model.key)} FROM ${name(model.table)} ` +
      `WHERE ${fieldIs(dialect, field, placeholder(1))} ORDER BY ${keyOrder(dialect, model)} LIMIT ${placeholder(2)}`,
  };
}

/**
 * Counts the records that the database deletes or changes with one, by its key, up to a limit for each relation.
 * Undefined where there can be none. A circle of models is visited once.
 */
function alongStatement(graph: Graph, model: Model, dialect: Dialect): Statement | undefined {
  const { name, placeholder } = dialect;
  const counts: string[] = [];
  const [key, most] = [placeholder(1), placeholder(2)];
  const follow = (target: Model, leads: (field: Field) => string, seen: readonly Model[]): void => {
    for (const other of graph.models) {
      for (const { field, onDelete } of other.relations.filter((one) => one.target === target.name)) {
        if (onDelete === 'restrict') continue;
        const rows = `FROM ${name(other.table)} WHERE ${leads(field)}`;
        counts.push(`(SELECT count(*) FROM (SELECT 1 ${rows} LIMIT ${most}) AS along)`);
        if (onDelete === 'cascade' && !seen.includes(other)) {
          const keys = `SELECT k FROM (SELECT ${keyColumn(dialect, other.key)} AS k ${rows} LIMIT ${most}) AS these`;
          follow(other, (next) => `${keyColumn(dialect, next)} IN (${keys})`, [...seen, other]);
        }
      }
    }
  };
  follow(model, (field) => fieldIs(dialect, field, key), [model]);
  return counts.length === 0 ? undefined : { sql: `SELECT ${counts.join(' + ')}` };
}
