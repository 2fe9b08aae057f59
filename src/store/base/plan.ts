/** One thing that a database does to answer a statement. */
export interface PlanStep {
  /**
   * `index`: it goes to the rows that it needs, or through rows in an order that an index keeps. `scan`: it goes
   * through every row of a table. `sort`: it puts rows into an order. `other`: it puts together what others found.
   */
  readonly way: 'index' | 'scan' | 'sort' | 'other';
  /** The table that it reads, where it reads one. */
  readonly table?: string;
  /** In words, with the database's own detail. */
  readonly text: string;
}

/** How a database means to answer a statement. */
export interface Plan {
  /** As the tables are now. */
  readonly now: readonly PlanStep[];
  /** As it would be with many rows: a database may read a small table whole, whatever indexes it has. */
  readonly large: readonly PlanStep[];
}
