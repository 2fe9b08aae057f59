import type { Expression, List, Many } from '../model/expression.ts';
import type { Model } from '../model/model.ts';
import type { ExpressionDialect } from '../sql/expression-dialect.ts';

/** What is written of each of many related records, whose row is called `inside`. */
export type OfEach<Inner> = (inner: Inner, target: Model, inside: string) => string;

/** What lists are written with, in a place of an expression. */
export interface ListWriter<Inner> {
  readonly dialect: ExpressionDialect;
  /** A name that no other table of the statement has. */
  alias(): string;
  /** The SQL of an expression in that place. */
  of(expression: Expression): string;
  /** The same over the row of a related record. */
  ofEach(inner: Inner, value: Expression, target: Model, inside: string): string;
  /** A SELECT from related records; `also` adds to its condition. */
  rows(many: Many, shown: OfEach<Inner>, also?: OfEach<Inner>): string;
}

type ListsNode = Expression & { readonly op: 'contains' | 'contained-by' | 'overlaps' | 'equals' };

/** How two lists compare as sets; null where an array is. Nulls are no items. */
export function listsSql<Inner>(writer: ListWriter<Inner>, { op, left, right }: ListsNode): string {
  const { without, overlap } = writer.dialect.isFlat === true ? flatly(writer) : bySets(writer);
  const test = (): string => {
    if (op === 'contains') return without(right, left);
    if (op === 'contained-by') return without(left, right);
    return op === 'overlaps' ? overlap(left, right) : `(${without(left, right)} AND ${without(right, left)})`;
  };
  const arrays = [left, right].filter((list) => list.kind === 'array');
  if (arrays.length === 0) return test();
  const there = arrays.map((list) => `${writer.of(list.of)} IS NOT NULL`).join(' AND ');
  return `(CASE WHEN ${there} THEN ${test()} END)`;
}

interface Comparison {
  /** That no item of one is missing in the other. */
  without(one: List, other: List): string;
  overlap(one: List, other: List): string;
}

function bySets<Inner>(writer: ListWriter<Inner>): Comparison {
  const rows = (list: List): string =>
    `SELECT v FROM (${itemsSql(writer, list)}) AS ${writer.alias()} WHERE v IS NOT NULL`;
  return {
    without: (one, other) => `(NOT EXISTS (${rows(one)} EXCEPT ${rows(other)}))`,
    overlap: (one, other) => `(EXISTS (${rows(one)} INTERSECT ${rows(other)}))`,
  };
}

/** Item by item, without a SELECT in a FROM, which could not see the row around it. */
function flatly<Inner>(writer: ListWriter<Inner>): Comparison {
  return {
    without: (one, other) => `(NOT ${someSql(writer, one, (v) => `NOT ${amongSql(writer, v, other)}`)})`,
    overlap: (one, other) => someSql(writer, one, (v) => amongSql(writer, v, other)),
  };
}

/** Whether some item of a list fulfils a condition. */
function someSql<Inner>(writer: ListWriter<Inner>, list: List, condition: (v: string) => string): string {
  const { dialect, of, ofEach } = writer;
  switch (list.kind) {
    case 'array':
      return `(EXISTS (${dialect.items(of(list.of), list.items)} AND ${condition('items.v')}))`;
    case 'many': {
      const also: OfEach<Inner> = (inner, target, inside) => {
        const v = ofEach(inner, list.value, target, inside);
        return ` AND ${v} IS NOT NULL AND ${condition(v)}`;
      };
      return `(EXISTS (${writer.rows(list.many, () => '1', also)}))`;
    }
    case 'constants':
      if (list.values.length === 0) return 'FALSE';
      return `(${list.values.map((value) => condition(of(value))).join(' OR ')})`;
  }
}

function amongSql<Inner>(writer: ListWriter<Inner>, v: string, list: List): string {
  if (list.kind === 'constants' && list.values.length === 0) return 'FALSE';
  const all = list.kind === 'constants' ? list.values.map(writer.of).join(', ') : itemsSql(writer, list);
  return `(${v} IN (${all}))`;
}

/** A SELECT of the items, as `v`; where it is flat, of those that are there. */
function itemsSql<Inner>({ dialect, of, ofEach, rows }: ListWriter<Inner>, list: List): string {
  switch (list.kind) {
    case 'array':
      return dialect.items(of(list.of), list.items);
    case 'many': {
      const value: OfEach<Inner> = (inner, target, inside) => ofEach(inner, list.value, target, inside);
      const shown: OfEach<Inner> = (...each) => `${value(...each)} AS v`;
      if (dialect.isFlat !== true) return rows(list.many, shown);
      return rows(list.many, shown, (...each) => ` AND ${value(...each)} IS NOT NULL`);
    }
    case 'constants':
      if (list.values.length === 0) return 'SELECT NULL AS v';
      return list.values.map((value) => `SELECT ${of(value)} AS v`).join(' UNION ALL ');
  }
}
