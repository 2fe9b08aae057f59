/**
 * The values under names, for a formula that needs one of them more than once; OFFSET keeps them from being copied in.
 */
export function bound(values: Readonly<Record<string, string>>, formula: string): string {
  const columns = Object.entries(values).map(([name, value]) => `${value} AS ${name}`);
  return `(SELECT ${formula} FROM (SELECT ${columns.join(', ')} OFFSET 0) AS o)`;
}
