/** A value that a condition compares with. */
export type CqlValue = string | number | boolean | Date | null;

/**
 * Writes a condition in CQL2, with each value quoted as it must be; a list becomes `('a', 'b')`.
 *
 * @example
 * cql`name = ${"O'Brien"} AND valley IN ${['Askdal', 'Sulvik']}`
 */
export function cql(texts: TemplateStringsArray, ...values: readonly (CqlValue | readonly CqlValue[])[]): string {
  return texts.reduce((text, next, at) => text + cqlLiteral(values[at - 1]!) + next);
}

function cqlLiteral(value: CqlValue | readonly CqlValue[]): string {
  if (Array.isArray(value)) return `(${value.map(cqlLiteral).join(', ')})`;
  if (value instanceof Date) return `TIMESTAMP('${value.toISOString()}')`;
  if (typeof value === 'string') return `'${value.replaceAll("'", "''")}'`;
  return String(value).toUpperCase();
}

/** What a field is compared with, beside equality. */
export interface Comparison<Value> {
  readonly gt?: NonNullable<Value> | undefined;
  readonly gte?: NonNullable<Value> | undefined;
  readonly lt?: NonNullable<Value> | undefined;
  readonly lte?: NonNullable<Value> | undefined;
  readonly not?: Value | null | readonly (Value | null)[] | undefined;
  /** A pattern: `%` is any text, `_` one character. */
  readonly like?: string | undefined;
  /** A part of the text, regardless of case. */
  readonly contains?: string | undefined;
  /** The beginning of the text, regardless of case. */
  readonly startsWith?: string | undefined;
}

/** What a field must be: a value, null, any of several, or within bounds. */
export type Wanted<Value> = Value | null | readonly (Value | null)[] | Comparison<Value> | undefined;

/** A `where`, as parameters of a query and as a condition; `isNothing` where no record can be meant. */
export interface WhereParts {
  readonly parameters: readonly (readonly [string, string])[];
  readonly conditions: readonly string[];
  readonly isNothing: boolean;
}

export function whereParts(where: Readonly<Record<string, Wanted<CqlValue>>> = {}): WhereParts {
  const parameters: [string, string][] = [];
  const conditions: string[] = [];
  let isNothing = false;
  for (const [name, wanted] of Object.entries(where)) {
    if (wanted === undefined) continue;
    const several = Array.isArray(wanted) ? (wanted as readonly CqlValue[]) : undefined;
    if (several?.length === 0) isNothing = true;
    else if (several !== undefined && !several.includes(null))
      parameters.push(...several.map((one): [string, string] => [name, plainText(one)]));
    else if (several !== undefined) conditions.push(anyOf(name, several));
    else if (wanted === null) conditions.push(`"${name}" IS NULL`);
    else if (typeof wanted === 'object' && !(wanted instanceof Date))
      conditions.push(...comparisons(name, wanted as Comparison<CqlValue>));
    else parameters.push([name, plainText(wanted)]);
  }
  return { parameters, conditions, isNothing };
}

const plainText = (value: CqlValue): string => (value instanceof Date ? value.toISOString() : String(value));

function anyOf(name: string, values: readonly CqlValue[]): string {
  const given = values.filter((value) => value !== null);
  const among = given.length === 0 ? [] : [`"${name}" IN ${cqlLiteral(given)}`];
  return `(${[...among, ...(given.length < values.length ? [`"${name}" IS NULL`] : [])].join(' OR ')})`;
}

function comparisons(name: string, { not, like, contains, startsWith, ...bounds }: Comparison<CqlValue>): string[] {
  const field = `"${name}"`;
  const signs = { gt: '>', gte: '>=', lt: '<', lte: '<=' } as const;
  const all = (Object.keys(signs) as (keyof typeof signs)[]).flatMap((bound) => {
    const value = bounds[bound];
    return value === undefined || value === null ? [] : [`${field} ${signs[bound]} ${cqlLiteral(value)}`];
  });
  const folded = (pattern: string): string => `CASEI(${field}) LIKE CASEI(${cqlLiteral(pattern)})`;
  if (not === null) all.push(`${field} IS NOT NULL`);
  else if (not !== undefined && !(Array.isArray(not) && not.length === 0)) {
    const values = [not].flat();
    const others = values.filter((value) => value !== null);
    // A null is another value, too.
    const orNull = others.length === values.length ? ` OR ${field} IS NULL` : '';
    if (others.length === 0) all.push(`${field} IS NOT NULL`);
    else all.push(`(${field} NOT IN ${cqlLiteral(others)}${orNull})`);
    if (orNull === '' && others.length > 0) all.push(`${field} IS NOT NULL`);
  }
  if (like !== undefined) all.push(`${field} LIKE ${cqlLiteral(like)}`);
  if (contains !== undefined) all.push(folded(`%${asItIs(contains)}%`));
  if (startsWith !== undefined) all.push(folded(`${asItIs(startsWith)}%`));
  return all;
}

/** A text in a pattern that stands for itself. */
const asItIs = (text: string): string => text.replaceAll(/[\\%_]/g, '\\$&');
