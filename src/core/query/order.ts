import type { SortKey } from '../model/model.ts';
import type { Dialect } from '../sql/dialect.ts';

/** An ORDER BY term of a key whose value is `sql`; nulls are last, and first where the order is turned around. */
export function orderTerm({ field, descending }: SortKey, sql: string, backward: boolean, dialect: Dialect): string {
  const nullable = !field.rules.required;
  if (!backward || !nullable) return dialect.order(sql, descending !== backward, nullable);
  // Backward, nulls come first; a plain flip of the direction would put them last again.
  return `${sql} IS NOT NULL, ${dialect.order(sql, !descending, false)}`;
}
