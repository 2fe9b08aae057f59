/** SQL, and the type of column that holds its value exactly. */
export type Typed = readonly [sql: string, type: ColumnType];

export const COLLATION = 'utf8mb4_nopad_bin';

/** Types of columns that values pass through on their way. */
export const TYPES = {
  text: `LONGTEXT CHARACTER SET utf8mb4 COLLATE ${COLLATION}`,
  digits: 'LONGTEXT CHARACTER SET latin1',
  double: 'DOUBLE',
  integer: 'DECIMAL(40,0)',
  decimal: 'DECIMAL(60,20)',
  date: 'DATE',
  moment: 'DATETIME(3)',
} as const;

export type ColumnType = keyof typeof TYPES;

type Names = Readonly<Record<string, Typed>>;

/**
 * The values under names, for a formula that needs one of them more than once; later ones may use the names of those
 * before. A table made of JSON is the only one in a FROM that can see the row outside of its statement.
 */
export function bound(values: Names, formula: string, ...later: readonly Names[]): string {
  const steps = [values, ...later].map((step, at) => {
    const given = Object.values(step).map(([sql, type]) => passed(sql, type));
    const columns = Object.entries(step).map(([name, [, type]], n) => `${name} ${TYPES[type]} PATH '$[${n}]'`);
    return `JSON_TABLE(JSON_ARRAY(${given.join(', ')}), '$' COLUMNS (${columns.join(', ')})) AS o${at}`;
  });
  return `(SELECT ${formula} FROM ${steps.join(', ')})`;
}

/** JSON is passed on as a text, too: inside of an array it would be an array or an object. */
const passed = (sql: string, type: ColumnType): string => (type === 'text' ? `CONCAT(${sql}, '')` : sql);
