import type { ListedRows } from '../../core/sql/dialect.ts';

/** A SELECT of the JSON texts of rows, as `j`, in their order. */
export const listed = ({ json, from, order }: ListedRows): string => `SELECT ${json} AS j ${from} ORDER BY ${order}`;

/** The same of the first rows, and one that has a row where there are more: looked up where as many came as may. */
export const capped = (rows: ListedRows, most: number): { readonly first: string; readonly beyond: string } => ({
  first: `${listed(rows)} LIMIT ${most}`,
  beyond: `SELECT 1 ${rows.from} LIMIT 1 OFFSET ${most}`,
});
