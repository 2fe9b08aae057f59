import { compileExpression } from '../expression/compiled.ts';
import type { CompiledExpression } from '../expression/compiled.ts';
import { manyJoined, oneJoined } from '../expression/joins.ts';
import type { Computed, Graph, Links, Model, ViewMember } from '../model/graph.ts';
import { modelOf } from '../model/graph.ts';
import type { StoreValue } from '../store/contract.ts';
import type { Dialect } from '../store/dialect.ts';
import { orderTerm } from './order.ts';
import { DEPTH_OF, MOST_RELATED } from './shown.ts';
import type { Shown, ShownMember } from './shown.ts';

/** What a statement selects to show a record. */
export interface ShownSql {
  /** A JSON object. */
  readonly json: string;
  /** Whether its values are the same at any time. */
  readonly fixed: boolean;
  /** The values of its placeholders, in their order. */
  values(now: Date): StoreValue[];
}

/** The row that something is shown of, and how deep it stands in others. */
interface Over {
  readonly model: Model;
  /** Quoted. */
  readonly row: string;
  readonly depth: number;
}

/**
 * The SQL of what is shown of the rows of `model`, in a statement that calls its table by its own name, and has so many
 * placeholders before these.
 */
export function shownSql(graph: Graph, model: Model, shown: Shown, dialect: Dialect, before: number): ShownSql {
  const { name } = dialect;
  const expressions: CompiledExpression[] = [];
  let placed = before;
  let aliases = 0;
  // No table has such a name.
  const alias = (): string => name(`@${(aliases += 1)}`);
  const json = objectOf(shown, { model, row: name(model.table), depth: 0 });
  return {
    json,
    fixed: expressions.every(({ fixed }) => fixed),
    values: (now) => expressions.flatMap((expression) => expression.values(now)),
  };

  function objectOf(members: Shown, over: Over): string {
    return dialect.object(members.map((member) => ({ name: member.name, value: valueOf(member, over) })));
  }

  function valueOf(member: ShownMember, over: Over): string {
    const { model: from, row } = over;
    switch (member.kind) {
      case 'field': {
        const column = `${row}.${name(member.field.column)}`;
        return member.inside === undefined
          ? dialect.value(member.field, column)
          : `CASE WHEN ${column} IS NOT NULL THEN ${partsOf(column, member.inside, [])} END`;
      }
      case 'computed':
        return computedValue(member.computed, over);
      case 'keys':
        return keysOf(member.links, over);
      case 'one': {
        const target = modelOf(graph, member.target);
        const inside = alias();
        const joined = oneJoined(member.step, target, from, inside, row, name);
        const object = objectOf(member.shown, { model: target, row: inside, depth: over.depth + DEPTH_OF.one });
        return `(SELECT ${object} FROM ${name(target.table)} AS ${inside} WHERE ${joined})`;
      }
      case 'many':
        return manyOf(member, over);
    }
  }

  function partsOf(column: string, parts: readonly ViewMember[], path: readonly string[]): string {
    return dialect.object(
      parts.map(({ name: part, inside }) => {
        const here = [...path, part];
        if (inside === undefined) return { name: part, value: dialect.part(column, here) };
        const value = `CASE WHEN ${dialect.part(column, here)} IS NOT NULL THEN ${partsOf(column, inside, here)} END`;
        return { name: part, value };
      }),
    );
  }

  function computedValue(computed: Computed, { model: from, row, depth }: Over): string {
    const finish = (value: string): string => dialect.computedValue(computed, value);
    const compiled = compileExpression(computed.value, from, graph, dialect, {
      before: placed,
      row,
      inside: depth,
      finish,
    });
    placed += compiled.places;
    expressions.push(compiled);
    return compiled.sql;
  }

  function keysOf({ table, near, far, target }: Links, { model: from, row }: Over): string {
    const links = alias();
    const [own, other] = [`${links}.${name(near)}`, `${links}.${name(far)}`];
    const { key } = modelOf(graph, target);
    const text = dialect.scalar(dialect.value(key, other));
    const mine = `${own} = ${row}.${name(from.key.column)}`;
    return dialect.list(`SELECT ${text} AS j FROM ${name(table)} AS ${links} WHERE ${mine} ORDER BY ${other}`);
  }

  function manyOf(member: ShownMember & { kind: 'many' }, { model: over, row, depth }: Over): string {
    const target = modelOf(graph, member.target);
    const key = `${row}.${name(over.key.column)}`;
    const inside = alias();
    const from = manyJoined(member.via, target, key, inside, alias(), name);
    const order = target.sort.map((one) => orderTerm(one, `${inside}.${name(one.field.column)}`, false, dialect));
    const text = dialect.text(objectOf(member.shown, { model: target, row: inside, depth: depth + DEPTH_OF.many }));
    const rows = `SELECT ${text} AS j ${from} ORDER BY ${order.join(', ')} LIMIT ${MOST_RELATED}`;
    // Whether there are more is only looked up where as many came as may.
    const beyond = `SELECT 1 ${from} LIMIT 1 OFFSET ${MOST_RELATED}`;
    return dialect.cappedList(rows, MOST_RELATED, beyond);
  }
}
