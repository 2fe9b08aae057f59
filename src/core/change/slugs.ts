import type { Field } from '../model/field.ts';
import type { Model } from '../model/model.ts';
import type { Values } from '../rules/schema.ts';
import type { Dialect } from '../sql/dialect.ts';
import type { Statement } from '../sql/statement.ts';
import { StoreError } from '../store/contract.ts';
import type { Transaction } from '../store/contract.ts';
import { slugOf, slugSource } from './slug.ts';

/** The fields that were filled, each with what its slug is made of. */
export type Filled = ReadonlyMap<Field, string>;

/** The fields of a model that are derived from others when absent. */
export interface Slugs {
  /**
   * Fills them in a record that has none, from the source's text, with a number if that is taken. `made` are members
   * that hold the text themselves: it was worked out from more than a field.
   */
  fill(transaction: Transaction, values: Values, made: ReadonlySet<string>): Promise<Filled>;
  /**
   * Writes a record with slugs that were filled. If another transaction has taken one meanwhile, the next is tried.
   */
  write<Result>(
    transaction: Transaction,
    values: Values,
    filled: Filled,
    write: () => Promise<Result>,
  ): Promise<Result>;
}

/** The most tries for a slug that other writers take at the same time. */
const MOST_TRIES = 100;

export function slugsOf(model: Model, dialect: Dialect): Slugs {
  const sources = sourcesOf(model, dialect);

  /** The slug for a text: where it is unique, one that nobody has. */
  async function freeSlug(transaction: Transaction, { field, set }: Source, origin: string, values: Values) {
    const slugAt = (n?: number): string => slugOf(origin, field, n);
    if (set === undefined) return slugAt();
    const others = set.fields.slice(0, -1).map((other) => dialect.bind(other, values[other.member] ?? null));
    const isThere = async (slug: string): Promise<boolean> =>
      (await transaction.first(set.statement, [...others, slug])) !== undefined;
    const takenOf = async (numbers: readonly number[]): Promise<boolean[]> => {
      const slugs = Array.from({ length: AT_ONCE }, (_one, at) => slugAt(numbers[at] ?? numbers[0]));
      const found = new Set((await transaction.all(set.among, [...others, ...slugs])).map(([slug]) => String(slug)));
      return numbers.map((_number, at) => found.has(slugs[at]!));
    };
    return (await isThere(slugAt())) ? slugAt(await firstFree(takenOf)) : slugAt();
  }

  return {
    async fill(transaction, values, made) {
      const filled = new Map<Field, string>();
      for (const one of sources) {
        const { member } = one.field;
        const isOpen = made.has(member) || (values[member] ?? null) === null;
        const text = values[one.source];
        if (!isOpen || typeof text !== 'string') continue;
        const origin = await slugSource(text);
        filled.set(one.field, origin);
        values[member] = await freeSlug(transaction, one, origin, values);
      }
      return filled;
    },

    async write(transaction, values, filled, write) {
      const unique = sources.filter(({ field, set }) => set !== undefined && filled.has(field));
      if (unique.length === 0) return write();
      for (let tried = 1; ; tried += 1) {
        try {
          return await transaction.nested(write);
        } catch (error) {
          const taken = unique.filter(({ field }) => isTaken(error, model, field));
          if (taken.length === 0 || tried === MOST_TRIES) throw error;
          for (const one of taken)
            values[one.field.member] = await freeSlug(transaction, one, filled.get(one.field)!, values);
        }
      }
    },
  };
}

/** How many slugs are looked up in one statement. */
const AT_ONCE = 16;

/**
 * A free number after a taken one. Taken numbers are mostly consecutive: it doubles the distance until one is free,
 * and then searches between, so thousands of one name cost little more than one.
 */
async function firstFree(takenOf: (numbers: readonly number[]) => Promise<boolean[]>): Promise<number> {
  let [taken, free] = [1, Infinity];
  while (free - taken > 1) {
    const numbers = between(taken, free);
    const found = await takenOf(numbers);
    const at = found.indexOf(false);
    if (at !== 0) taken = numbers[(at < 0 ? numbers.length : at) - 1]!;
    if (at >= 0) free = numbers[at]!;
  }
  return free;
}

/** Numbers above one, each twice the one before; or spread evenly between two. */
function between(low: number, high: number): number[] {
  const count = Math.min(AT_ONCE, high - low - 1);
  return Array.from({ length: count }, (_one, at) =>
    high === Infinity ? low * 2 ** (at + 1) : low + Math.ceil(((at + 1) * (high - low)) / (count + 1)),
  );
}

const isTaken = (error: unknown, { table }: Model, { column }: Field): boolean =>
  error instanceof StoreError &&
  error.fault.kind === 'unique' &&
  error.fault.table === table &&
  error.fault.columns.includes(column);

/** How to find out whether a slug is free. */
interface Source {
  readonly field: Field;
  /** The member with its text: another, or its own where that was worked out. */
  readonly source: string;
  /** The fields within whose values it is unique, the slug itself last. Undefined if it need not be unique. */
  readonly set?: {
    readonly fields: readonly Field[];
    readonly statement: Statement;
    /** Those of several that are taken. */
    readonly among: Statement;
  };
}

function sourcesOf(model: Model, { name, placeholder }: Dialect): Source[] {
  return model.fields.flatMap((field): Source[] => {
    if (field.derivedFrom === undefined) return [];
    const source = model.madeDefaults.some((one) => one.field === field) ? field.member : field.derivedFrom;
    const unique = field === model.key ? [field] : model.unique.find((set) => set.includes(field));
    if (unique === undefined) return [{ field, source }];
    const fields = [...unique.filter((other) => other !== field), field];
    const same = fields.map((other, index) => `${name(other.column)} = ${placeholder(index + 1)}`).join(' AND ');
    const statement = { sql: `SELECT 1 FROM ${name(model.table)} WHERE ${same}` };
    const others = fields.slice(0, -1).map((other, index) => `${name(other.column)} = ${placeholder(index + 1)} AND `);
    const places = Array.from({ length: AT_ONCE }, (_one, at) => placeholder(fields.length + at));
    const column = name(field.column);
    const among = {
      sql: `SELECT ${column} FROM ${name(model.table)} WHERE ${others.join('')}${column} IN (${places.join(', ')})`,
    };
    return [{ field, source, set: { fields, statement, among } }];
  });
}
