/** Rows of a catalogue, of which the first cell names a table: those of each table, in their order. */
export function byTable<Cells extends readonly unknown[]>(
  rows: readonly Cells[],
): (table: unknown) => readonly Cells[] {
  const grouped = new Map<unknown, Cells[]>();
  for (const row of rows) {
    const own = grouped.get(row[0]);
    if (own === undefined) grouped.set(row[0], [row]);
    else own.push(row);
  }
  return (table) => grouped.get(table) ?? [];
}
