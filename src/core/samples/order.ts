import type { Field } from '../model/field.ts';
import type { Graph } from '../model/graph.ts';
import { memberField, memberLinks } from './read.ts';
import type { SampleRow } from './read.ts';

/** Rows in an order in which each stands after those it refers to. */
export interface OrderedRows {
  readonly rows: readonly SampleRow[];
  /** References that close a circle: they are set once all records are made. */
  readonly later: ReadonlyMap<SampleRow, ReadonlySet<Field>>;
}

/** The name that other rows refer to a row by: `hut/grey-hut`. */
export const nameOf = ({ model, handle }: SampleRow): string => `${model.name}/${handle}`;

/** A reference from a row to the sample that one of its members names. */
interface Reference {
  /** Undefined where it is one of many. */
  readonly field?: Field;
  readonly to: SampleRow;
}

/**
 * The models' order where that will do, and within it whatever the references that can't be null need. A reference that
 * may be null waits where its record comes later; around a circle there is one, or no order at all.
 */
export function orderRows(graph: Graph, rows: readonly SampleRow[]): OrderedRows {
  const byName = new Map(rows.map((row) => [nameOf(row), row]));
  const referencesOf = (row: SampleRow): Reference[] =>
    Object.entries(row.values).flatMap(([member, value]) => {
      const links = memberLinks(row.model, member);
      if (links !== undefined && Array.isArray(value)) {
        return value.flatMap((one) => {
          const to = byName.get(`${links.target}/${String(one)}`);
          return to === undefined ? [] : [{ to }];
        });
      }
      const field = memberField(row.model, member);
      if (field?.refersTo === undefined || typeof value !== 'string') return [];
      const to = byName.get(`${field.refersTo}/${value}`);
      return to === undefined ? [] : [{ field, to }];
    });

  const ordered: SampleRow[] = [];
  const entered = new Set<SampleRow>();
  const enter = (start: SampleRow): void => {
    // A stack of its own: a chain of samples may be longer than calls may be deep.
    const stack: { row: SampleRow; needed: SampleRow[] }[] = [];
    const open = (row: SampleRow): void => {
      entered.add(row);
      const needed = referencesOf(row).filter(({ field }) => field?.rules.required !== false);
      stack.push({ row, needed: needed.map(({ to }) => to) });
    };
    open(start);
    for (let top = stack.at(-1); top !== undefined; top = stack.at(-1)) {
      const next = top.needed.shift();
      if (next === undefined) {
        ordered.push(top.row);
        stack.pop();
      } else if (!entered.has(next)) open(next);
    }
  };
  for (const model of graph.models) {
    for (const row of rows) if (row.model === model && !entered.has(row)) enter(row);
  }

  const place = new Map(ordered.map((row, at) => [row, at]));
  const later = new Map<SampleRow, ReadonlySet<Field>>();
  for (const row of ordered) {
    const waiting = referencesOf(row)
      .filter(({ field, to }) => field?.rules.required === false && place.get(to)! >= place.get(row)!)
      .flatMap(({ field }) => field ?? []);
    if (waiting.length > 0) later.set(row, new Set(waiting));
  }
  return { rows: ordered, later };
}
