type Names = Readonly<Record<string, string>>;

/**
 * The values under names, for a formula that needs one of them more than once. Later ones may use the names of those
 * before.
 */
export function bound(values: Names, formula: string, ...later: readonly Names[]): string {
  const steps = [values, ...later].map(
    (step, at) =>
      `o${at}(${Object.keys(step).join(', ')}) AS MATERIALIZED (SELECT ` +
      `${Object.values(step).join(', ')}${at === 0 ? '' : ` FROM o${at - 1}`})`,
  );
  return `(WITH ${steps.join(', ')} SELECT ${formula} FROM o${later.length})`;
}
