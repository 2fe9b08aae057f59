import { compileExpression } from '../expression/compiled.ts';
import type { SqlPlacement } from '../expression/compiled.ts';
import type { EvaluationContext } from '../expression/context.ts';
import { manyJoined, oneJoined } from '../expression/joins.ts';
import type { Expression } from '../model/expression.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { Model, ViewMember } from '../model/model.ts';
import type { Links } from '../model/relation.ts';
import type { Dialect } from '../sql/dialect.ts';
import type { Binder } from '../sql/parameters.ts';
import { columnValue, keyColumn, sortable } from '../sql/stored.ts';
import { orderTerm } from './order.ts';
import { DEPTH_OF, MOST_RELATED } from './projection.ts';
import type { AllowedAct, ProjectedMember, Projection } from './projection.ts';

/** The row that is shown, and how deep it is nested. */
interface Over {
  readonly model: Model;
  /** Quoted. */
  readonly row: string;
  readonly depth: number;
}

/** What the SQL of one projection is put together with. */
interface ProjectionWriter {
  readonly graph: Graph;
  readonly dialect: Dialect;
  readonly parameters: Binder<EvaluationContext>;
  /** A name that no table of the statement has. */
  alias(): string;
}

/**
 * A JSON object of what a projection shows of the rows of `model`, in a statement that calls its table by its own name.
 */
export function projectionSql(
  graph: Graph,
  model: Model,
  projection: Projection,
  dialect: Dialect,
  parameters: Binder<EvaluationContext>,
): string {
  let aliases = 0;
  const alias = (): string => dialect.name(`@${(aliases += 1)}`);
  const over = { model, row: dialect.name(model.table), depth: 0 };
  return objectOf({ graph, dialect, parameters, alias }, projection, over);
}

function objectOf(writer: ProjectionWriter, members: Projection, over: Over): string {
  const conditions = new Map<Expression, string>();
  const whenOf = (when: Expression): string => {
    if (!conditions.has(when)) conditions.set(when, compiled(writer, when, over));
    return conditions.get(when)!;
  };
  return writer.dialect.object(
    members.map((member) => ({
      name: member.name,
      value: memberSql(writer, member, over),
      when: member.when && whenOf(member.when),
    })),
  );
}

/** The SQL of an expression over a row. */
function compiled(
  writer: ProjectionWriter,
  expression: Expression,
  { model: from, row, depth }: Over,
  finish?: SqlPlacement['finish'],
): string {
  const { graph, dialect, parameters } = writer;
  return compileExpression(expression, from, graph, dialect, parameters, { row, inside: depth, finish });
}

function guardOf(writer: ProjectionWriter, guard: Expression | undefined, over: Over): string {
  return guard === undefined ? '' : ` AND ${compiled(writer, guard, over)}`;
}

function memberSql(writer: ProjectionWriter, member: ProjectedMember, over: Over): string {
  const { graph, dialect, alias } = writer;
  const { name } = dialect;
  const { model: from, row } = over;
  switch (member.kind) {
    case 'field': {
      const column = columnValue(dialect, member.field, row);
      if (member.value !== undefined) {
        const spec = { ...member.field, rules: { ...member.field.rules, required: false } };
        return compiled(writer, member.value, over, (value) => dialect.computedValue(spec, value));
      }
      return member.inside === undefined
        ? dialect.value(member.field, column)
        : `CASE WHEN ${column} IS NOT NULL THEN ${partsOf(writer, column, member.inside, [])} END`;
    }
    case 'computed':
      return compiled(writer, member.computed.value, over, (value) => dialect.computedValue(member.computed, value));
    case 'keys':
      return keysOf(writer, member.links, member.guard, over);
    case 'one': {
      const target = modelOf(graph, member.target);
      const inside = alias();
      const joined = oneJoined(member.step, target, from, inside, row, dialect);
      const within = { model: target, row: inside, depth: over.depth + DEPTH_OF.one };
      const object = objectOf(writer, member.projection, within);
      const guard = guardOf(writer, member.guard, within);
      return `(SELECT ${object} FROM ${name(target.table)} AS ${inside} WHERE ${joined}${guard})`;
    }
    case 'many':
      return manyOf(writer, member, over);
    case 'may':
      return actsOf(writer, member.acts, over);
  }
}

function partsOf(
  writer: ProjectionWriter,
  column: string,
  parts: readonly ViewMember[],
  path: readonly string[],
): string {
  const { dialect } = writer;
  return dialect.object(
    parts.map(({ name: part, inside }) => {
      const here = [...path, part];
      if (inside === undefined) return { name: part, value: dialect.part(column, here) };
      const parts = partsOf(writer, column, inside, here);
      const value = `CASE WHEN ${dialect.part(column, here)} IS NOT NULL THEN ${parts} END`;
      return { name: part, value };
    }),
  );
}

function keysOf(
  writer: ProjectionWriter,
  { table, near, far, target }: Links,
  guard: Expression | undefined,
  over: Over,
): string {
  const { graph, dialect, alias } = writer;
  const { name } = dialect;
  const { model: from, row, depth } = over;
  const links = alias();
  const [own, other] = [`${links}.${name(near)}`, `${links}.${name(far)}`];
  const linked = modelOf(graph, target);
  const { key } = linked;
  const text = dialect.scalar(dialect.value(key, other));
  const mine = `${own} = ${row}.${name(from.key.column)}`;
  let seen = '';
  if (guard !== undefined) {
    const inside = alias();
    const condition = guardOf(writer, guard, { model: linked, row: inside, depth: depth + DEPTH_OF.one });
    seen =
      ` AND EXISTS (SELECT 1 FROM ${name(linked.table)} AS ${inside} ` +
      `WHERE ${inside}.${name(key.column)} = ${other}${condition})`;
  }
  return dialect.list({ json: text, from: `FROM ${name(table)} AS ${links} WHERE ${mine}${seen}`, order: other });
}

/** A JSON array of the names of what may be done with the row. */
function actsOf(writer: ProjectionWriter, acts: readonly AllowedAct[], over: Over): string {
  return writer.dialect.chosen(
    acts.map(({ name, when }) => ({
      json: `'${JSON.stringify(name)}'`,
      when: when === undefined ? undefined : compiled(writer, when, over),
    })),
  );
}

function manyOf(
  writer: ProjectionWriter,
  member: ProjectedMember & { kind: 'many' },
  { model: over, row, depth }: Over,
): string {
  const { graph, dialect, alias } = writer;
  const target = modelOf(graph, member.target);
  const key = { sql: keyColumn(dialect, over.key, row), of: { field: over.key, row } };
  const inside = alias();
  const within = { model: target, row: inside, depth: depth + DEPTH_OF.many };
  const from = manyJoined(member.via, target, key, inside, alias(), dialect) + guardOf(writer, member.guard, within);
  const order = target.sort.map((one) => orderTerm(one, sortable(dialect, one.field, inside), false, dialect));
  const json = dialect.text(objectOf(writer, member.projection, within));
  return dialect.cappedList({ json, from, order: order.join(', ') }, MOST_RELATED);
}
