import { MOST_PARTS } from '../resolve/key-parts.ts';
import { KEY_TYPES } from '../resolve/model-draft.ts';
import { columnCalled } from '../tables/catalogue.ts';
import type { Catalogue, CatalogueColumn, CatalogueTable } from '../tables/catalogue.ts';
import { isOwn } from '../tables/own-tables.ts';

/** How the records of a table are told apart. */
export interface UsableKey {
  readonly columns: readonly CatalogueColumn[];
  readonly made: 'serial' | 'uuid' | undefined;
  /** Nothing in the database keeps its values apart: they are so now. */
  readonly isByChance: boolean;
}

/** The column of a key of one. */
export const soleColumn = ({ columns }: UsableKey): CatalogueColumn | undefined =>
  columns.length === 1 ? columns[0] : undefined;

/** A text is as good as a string, which a key of it becomes. */
const canBeKey = ({ kind }: CatalogueColumn): boolean =>
  kind !== undefined && (kind.type === 'text' || KEY_TYPES.includes(kind.type));

/** Columns that could tell the records of a table without a key apart, the likeliest first. */
export function candidatesOf(table: CatalogueTable): string[] {
  // Of a key of several columns, one alone is apart by chance, and not for long.
  if (table.key.length > 1 || keyOf(table, new Map()) !== undefined) return [];
  const likely = /(^|_|[a-z])(id|uuid|key|code|number|no|nr|slug|email|name)$/i;
  const all = table.columns.filter(canBeKey).map(({ name }) => name);
  return [...all.filter((name) => likely.test(name)), ...all.filter((name) => !likely.test(name))].slice(0, 8);
}

/**
 * The key of a table: its primary one, or columns whose values are unique and never null, one if there is such a one.
 * `apart` names a column whose values happen to be different, for tables without one.
 */
export function keyOf(table: CatalogueTable, apart: ReadonlyMap<string, string>): UsableKey | undefined {
  const unique = table.unique.filter((names) => names.every((name) => columnCalled(table, name)?.nullable === false));
  const sets = [table.key, ...[...unique].sort((one, other) => one.length - other.length)];
  for (const names of sets) {
    const columns = names.map((name) => columnCalled(table, name)).filter((column) => column !== undefined);
    const isWhole = columns.length === names.length && columns.length > 0 && columns.length <= MOST_PARTS;
    if (!isWhole || !columns.every(canBeKey)) continue;
    const isAlone = names === table.key && columns.length === 1;
    return { columns, made: isAlone ? madeBy(columns[0]!) : undefined, isByChance: false };
  }
  const chance = columnCalled(table, apart.get(table.name) ?? '');
  return chance && { columns: [chance], made: undefined, isByChance: true };
}

function madeBy({ made, kind, preset }: CatalogueColumn): UsableKey['made'] {
  if (made === 'number' && kind?.type === 'integer') return 'serial';
  return kind?.type === 'uuid' && (preset === undefined || preset === 'uuid') ? 'uuid' : undefined;
}

/** A table that holds nothing but which records of two others belong together. */
export function isOfLinks(table: CatalogueTable): boolean {
  const [one, other, ...more] = table.references;
  if (one === undefined || other === undefined || more.length > 0 || table.isView) return false;
  const ends = [...one.columns, ...other.columns];
  const names = table.columns.map(({ name }) => name);
  const isPair = ends.length === 2 && new Set(ends).size === 2 && names.length === 2;
  const sets = [table.key, ...table.unique];
  const isUnique = sets.some((columns) => columns.length === 2 && columns.every((name) => ends.includes(name)));
  return isPair && isUnique && names.every((name) => ends.includes(name));
}

/** The tables that models may be made of: not those of the tool itself. */
export const foreignTables = ({ tables }: Catalogue): CatalogueTable[] => tables.filter(({ name }) => !isOwn(name));
