import type { Dialect } from '../../core/sql/dialect.ts';

/** How changes are spelled where a statement can return what it has changed, and a conflict has a clause of its own. */
export const standardChanges: Pick<Dialect, 'returning' | 'onConflict' | 'typed' | 'keyText'> = {
  returning: ({ change, returned }) => ({ sql: `${change} RETURNING ${returned}` }),
  onConflict(key, overwritten) {
    const sets = Object.entries(overwritten).map(([column, value]) => `${column} = ${value(`excluded.${column}`)}`);
    return `ON CONFLICT (${key.join(', ')}) DO ${sets.length === 0 ? 'NOTHING' : `UPDATE SET ${sets.join(', ')}`}`;
  },
  keyText: (key) => `CAST(${key} AS TEXT)`,
  typed: (_field, placeholder) => placeholder,
};
