import type { Graph } from '../model/graph.ts';
import { memberField, memberLinks } from './read.ts';
import type { SampleRow } from './read.ts';

/** Rows in an order in which each stands after those it refers to. */
export interface OrderedRows {
  readonly rows: readonly SampleRow[];
  /** Members whose references close a circle: they are set once all records are made. */
  readonly later: ReadonlyMap<SampleRow, ReadonlySet<string>>;
}

/** The name that other rows refer to a row by: `hut/grey-hut`. */
export const nameOf = ({ model, handle }: SampleRow): string => `${model.name}/${handle}`;

/** A reference from a row to the sample that one of its members names. */
interface Reference {
  readonly member: string;
  /** The record can't be made without it. */
  readonly isRequired: boolean;
  readonly isLink: boolean;
  readonly to: SampleRow;
}

/**
 * The models' order where that will do, and within it whatever the references that can't be null need. One that may be
 * null, or that is one of many, waits where its record comes later; around a circle there is such a one, or no order at
 * all.
 */
export function orderRows(graph: Graph, rows: readonly SampleRow[]): OrderedRows {
  const referencesOf = referencesIn(rows);
  const isHeld = (ordered: readonly SampleRow[]): boolean =>
    waitingIn(ordered, referencesOf, ({ isRequired }) => isRequired).size === 0;
  // Links are set with their record, unless they stand in the way of what can't be without.
  const withLinks = inOrder(graph, rows, (row) =>
    referencesOf(row).filter(({ isRequired, isLink }) => isRequired || isLink),
  );
  const ordered = isHeld(withLinks)
    ? withLinks
    : inOrder(graph, rows, (row) => referencesOf(row).filter(({ isRequired }) => isRequired));
  return { rows: ordered, later: waitingIn(ordered, referencesOf, ({ isRequired }) => !isRequired) };
}

function referencesIn(rows: readonly SampleRow[]): (row: SampleRow) => Reference[] {
  const byName = new Map(rows.map((row) => [nameOf(row), row]));
  const read = (row: SampleRow): Reference[] =>
    Object.entries(row.values).flatMap(([name, value]): Reference[] => {
      const links = memberLinks(row.model, name);
      if (links !== undefined && Array.isArray(value)) {
        return value.flatMap((one) => {
          const to = byName.get(`${links.target}/${String(one)}`);
          return to === undefined ? [] : [{ member: links.member, isRequired: false, isLink: true, to }];
        });
      }
      const field = memberField(row.model, name);
      if (field?.refersTo === undefined || typeof value !== 'string') return [];
      const to = byName.get(`${field.refersTo}/${value}`);
      return to === undefined ? [] : [{ member: field.member, isRequired: field.rules.required, isLink: false, to }];
    });
  const known = new Map(rows.map((row) => [row, read(row)]));
  return (row) => known.get(row)!;
}

/** Rows in the order of their models, each after those that it needs, as far as these allow that. */
function inOrder(
  graph: Graph,
  rows: readonly SampleRow[],
  needs: (row: SampleRow) => readonly Reference[],
): SampleRow[] {
  const ordered: SampleRow[] = [];
  const entered = new Set<SampleRow>();
  const enter = (start: SampleRow): void => {
    // A stack of its own: a chain of samples may be longer than calls may be deep.
    const stack: { row: SampleRow; needed: SampleRow[] }[] = [];
    const open = (row: SampleRow): void => {
      entered.add(row);
      stack.push({ row, needed: needs(row).map(({ to }) => to) });
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
  return ordered;
}

/** The members whose samples come no sooner than their own row. */
function waitingIn(
  ordered: readonly SampleRow[],
  referencesOf: (row: SampleRow) => readonly Reference[],
  counts: (reference: Reference) => boolean,
): Map<SampleRow, ReadonlySet<string>> {
  const place = new Map(ordered.map((row, at) => [row, at]));
  const waiting = new Map<SampleRow, ReadonlySet<string>>();
  for (const row of ordered) {
    const members = referencesOf(row)
      .filter((reference) => counts(reference) && place.get(reference.to)! >= place.get(row)!)
      .map(({ member }) => member);
    if (members.length > 0) waiting.set(row, new Set(members));
  }
  return waiting;
}
