import type { Column, Index, Reference, Table } from './table.ts';

/** What brings a database from one set of tables to another without losing anything. */
export type Step =
  | { readonly kind: 'create-table'; readonly table: Table }
  | { readonly kind: 'add-column'; readonly table: Table; readonly column: Column; readonly reference?: Reference }
  | { readonly kind: 'create-index'; readonly table: Table; readonly index: Index; readonly unique: boolean }
  | { readonly kind: 'drop-index'; readonly index: Index };

export interface Difference {
  readonly steps: readonly Step[];
  /** In words, what can't be done without touching rows that are there. */
  readonly obstacles: readonly string[];
}

/** Compares the tables that stand with those that are wanted. Tables that are no longer wanted are left alone. */
export function difference(standing: readonly Table[], wanted: readonly Table[]): Difference {
  const steps: Step[] = [];
  const obstacles: string[] = [];
  for (const table of wanted) {
    const old = standing.find((candidate) => candidate.name === table.name);
    if (old === undefined) steps.push({ kind: 'create-table', table });
    else compareTables(old, table, steps, obstacles);
  }
  return { steps, obstacles };
}

function compareTables(old: Table, table: Table, steps: Step[], obstacles: string[]): void {
  const same = (one: unknown, other: unknown): boolean => JSON.stringify(one) === JSON.stringify(other);
  const referenceOf = (of: Table, column: string): Reference | undefined =>
    of.references.find((reference) => reference.column === column);

  for (const column of table.columns) {
    const before = old.columns.find(({ name }) => name === column.name);
    const reference = referenceOf(table, column.name);
    const called = `${table.name}.${column.name}`;
    if (before === undefined && column.nullable) steps.push({ kind: 'add-column', table, column, reference });
    else if (before === undefined)
      obstacles.push(`${called} is new and required: the rows that are there have no value`);
    else if (!same(before, column)) obstacles.push(`${called} is now ${inWords(column)}; it was ${inWords(before)}`);
    else if (!same(referenceOf(old, column.name), reference)) obstacles.push(`${called} refers to something else now`);
  }
  for (const { name } of old.columns) {
    if (!table.columns.some((column) => column.name === name)) obstacles.push(`${table.name}.${name} is gone`);
  }
  if (old.primaryKey !== table.primaryKey) obstacles.push(`the key of ${table.name} is another`);

  for (const [before, after, unique] of [
    [old.unique, table.unique, true],
    [old.indexes, table.indexes, false],
  ] as const) {
    for (const index of before) {
      if (!after.some((other) => same(other, index))) steps.push({ kind: 'drop-index', index });
    }
    for (const index of after) {
      if (before.some((other) => same(other, index))) continue;
      if (unique) obstacles.push(`${table.name} (${index.columns.join(', ')}) must be unique now`);
      else steps.push({ kind: 'create-index', table, index, unique });
    }
  }
}

const inWords = ({ type, scale, nullable }: Column): string =>
  `${type === 'decimal' ? `a decimal with ${scale} digits after the point` : type}${nullable ? '' : ', required'}`;

/** A step as the tool tells it; undefined for what is its own affair. */
export function stepInWords(step: Step): string | undefined {
  switch (step.kind) {
    case 'create-table':
      return step.table.name.startsWith('vantfell_') ? undefined : `made the table ${step.table.name}`;
    case 'add-column':
      return `added the column ${step.table.name}.${step.column.name}`;
    default:
      return undefined;
  }
}
