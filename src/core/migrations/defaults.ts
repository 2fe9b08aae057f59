import type { Graph } from '../model/graph.ts';
import { called, pairsOf } from '../tables/table.ts';
import type { Fill, Table } from '../tables/table.ts';
import { exampleOf } from './neutral.ts';

/** The value of existing records for a new field: its constant default, or the time of the change for a stamp. */
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

/** The value of a required column that an undo restores without its values: one that its rules allow. */
export function neutralFills(tables: readonly Table[]): ReadonlyMap<string, Fill> {
  return new Map(
    tables.flatMap((table) =>
      table.columns.flatMap((column): [string, Fill][] => {
        const refers = table.references.flatMap(pairsOf).some((pair) => pair.column === column.name);
        const value = column.nullable || refers || column.serial ? undefined : exampleOf(column);
        return value === undefined ? [] : [[called(table, column), value]];
      }),
    ),
  );
}
