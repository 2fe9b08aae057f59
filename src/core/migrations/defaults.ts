import type { Graph } from '../model/graph.ts';
import type { Fill } from '../tables/schema-diff.ts';
import { called } from '../tables/table.ts';
import type { Table } from '../tables/table.ts';
import { exampleOf } from './neutral.ts';

/** What the records that are there get for a new field: its constant default; a stamp is the moment of the change. */
export function defaultFills(graph: Graph): ReadonlyMap<string, Fill> {
  return new Map(
    graph.models.flatMap((model) =>
      model.fields.flatMap((field): [string, Fill][] => {
        const name = `${model.name}.${field.member}`;
        if (field.origin === 'stamp') return [[name, 'now']];
        const value = field.rules.default;
        return value === undefined || value === null ? [] : [[name, { value }]];
      }),
    ),
  );
}

/**
 * What a required column gets when it comes back by an undo, and its values are lost: something that keeps its rules.
 */
export function neutralFills(tables: readonly Table[]): ReadonlyMap<string, Fill> {
  return new Map(
    tables.flatMap((table) =>
      table.columns.flatMap((column): [string, Fill][] => {
        const refers = table.references.some((reference) => reference.column === column.name);
        const value = column.nullable || refers || column.serial ? undefined : exampleOf(column);
        return value === undefined ? [] : [[called(table, column), value]];
      }),
    ),
  );
}
