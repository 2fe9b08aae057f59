import type { Model } from '../model/model.ts';
import type { Scalar } from '../model/scalar.ts';
import { fromText } from '../model/value.ts';
import type { Statement } from '../sql/statement.ts';
import type { Store, Transaction } from '../store/contract.ts';
import { samplesTable } from '../tables/own-tables.ts';

/** What the database remembers of samples, within one load of them. */
export interface SampleMemory {
  /** As it was before this load. */
  before(name: string): Promise<{ key: string; digest: string } | undefined>;
  /** The key and the digest of a sample that is loaded. */
  find(name: string): Promise<{ key: string; digest: string } | undefined>;
  keep(name: string, key: Scalar, digest: string): Promise<void>;
  /** Notes that a sample is as it was. */
  see(name: string): Promise<void>;
  /** Those that this load has not seen, a thousand at most, and how many there are. */
  gone(): Promise<{ names: string[]; count: number }>;
}

const MOST_GONE = 1_000;

interface Statements {
  readonly begin: Statement;
  readonly find: Statement;
  readonly keep: Statement;
  readonly see: Statement;
  readonly gone: Statement;
  readonly countGone: Statement;
}

/** Made once for each load; the statements are the same for all. */
export async function sampleMemory(store: Pick<Store, 'dialect'>, transaction: Transaction): Promise<SampleMemory> {
  const statements = statementsFor(store);
  const load = Number((await transaction.first(statements.begin, []))?.[0] ?? 1);
  // Where nothing was ever loaded, nothing needs to be looked up.
  const isNew = load === 1;
  const find: SampleMemory['find'] = async (name) => {
    const row = await transaction.first(statements.find, [name]);
    return row === undefined ? undefined : { key: String(row[0]), digest: String(row[1]) };
  };
  return {
    find,
    before: (name) => (isNew ? Promise.resolve(undefined) : find(name)),
    async keep(name, key, digest) {
      await transaction.run(statements.keep, [name, String(key), digest, load]);
    },
    async see(name) {
      await transaction.run(statements.see, [name, load]);
    },
    async gone() {
      if (isNew) return { names: [], count: 0 };
      const names = (await transaction.all(statements.gone, [load])).map(([name]) => String(name));
      const count =
        names.length < MOST_GONE ? names.length : Number((await transaction.first(statements.countGone, [load]))?.[0]);
      return { names, count };
    },
  };
}

function statementsFor({ dialect: { name, placeholder, onConflict } }: Pick<Store, 'dialect'>): Statements {
  const table = name(samplesTable.name);
  const columns = samplesTable.columns.map((column) => name(column.name));
  const places = columns.map((_column, at) => placeholder(at + 1)).join(', ');
  const overwritten = Object.fromEntries(columns.slice(1).map((column) => [column, (inserted: string) => inserted]));
  const isGone = `${name('seen')} <> ${placeholder(1)}`;
  return {
    begin: { sql: `SELECT coalesce(max(${name('seen')}), 0) + 1 FROM ${table}` },
    find: { sql: `SELECT ${name('key')}, ${name('digest')} FROM ${table} WHERE ${name('name')} = ${placeholder(1)}` },
    keep: {
      sql: `INSERT INTO ${table} (${columns.join(', ')}) VALUES (${places}) ` + onConflict([name('name')], overwritten),
    },
    see: { sql: `UPDATE ${table} SET ${name('seen')} = ${placeholder(2)} WHERE ${name('name')} = ${placeholder(1)}` },
    gone: { sql: `SELECT ${name('name')} FROM ${table} WHERE ${isGone} ORDER BY ${name('name')} LIMIT ${MOST_GONE}` },
    countGone: { sql: `SELECT count(*) FROM ${table} WHERE ${isGone}` },
  };
}

/** A key that was kept as text, as its model has it. */
export function keyOf(model: Model, text: string): Scalar | undefined {
  const read = fromText(model.key, text);
  return 'value' in read ? (read.value as Scalar) : undefined;
}
