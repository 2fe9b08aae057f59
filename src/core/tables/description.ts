/**
 * What a database says of its tables, in its own words: for each table its parts, as `column altitude_m` or
 * `index huts_by_valley`, each with a text that is the same where the part is.
 */
export type Description = Readonly<Record<string, Readonly<Record<string, string>>>>;

/** A part that is not as it should be. */
export interface Drift {
  readonly table: string;
  /** Undefined where the whole table is meant. */
  readonly part?: string;
  /** In the database's own words; undefined where there is nothing. */
  readonly is?: string;
  readonly shouldBe?: string;
}

/** Where a database has drifted from what it should be. Tables that nobody wants are somebody else's. */
export function driftBetween(is: Description, shouldBe: Description): Drift[] {
  return Object.entries(shouldBe).flatMap(([table, parts]): Drift[] => {
    const found = is[table];
    if (found === undefined) return [{ table, shouldBe: 'there' }];
    const names = [...new Set([...Object.keys(parts), ...Object.keys(found)])];
    return names
      .filter((part) => parts[part] !== found[part])
      .map((part) => ({ table, part, is: found[part], shouldBe: parts[part] }));
  });
}
