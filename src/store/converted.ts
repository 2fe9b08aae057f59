/** How values of a column become those of another type, in SQL. */
export interface Converted {
  /** The new value, where the old one fits. */
  readonly value: string;
  /** Whether the old value says something in the new type; undefined where every value does. */
  readonly fits?: string;
}
