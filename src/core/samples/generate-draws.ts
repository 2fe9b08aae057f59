import type { Faker } from '@faker-js/faker';
import { unitsOf } from '../change/draws.ts';
import { evaluate } from '../expression/evaluate.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { Draw, Model } from '../model/model.ts';
import type { FieldValue, Scalar } from '../model/scalar.ts';
import { recordJson } from '../query/statements.ts';
import { keyOrder } from '../sql/stored.ts';
import type { Store, Transaction } from '../store/contract.ts';

/** The stock that generated records draw from: that in the database, less what they have taken. */
export interface OpenDraws {
  /** Lets each relation that is drawn on refer to a record with enough left; gives what to say where there is none. */
  choose(values: Record<string, FieldValue>, faker: Faker, now: Date): string | undefined;
  take(values: Readonly<Record<string, FieldValue>>, now: Date): void;
}

interface Stock {
  readonly draw: Draw;
  readonly keys: readonly Scalar[];
  /** By key, in the smallest unit. */
  readonly left: Map<Scalar, bigint>;
}

const MOST_STOCKS = 10_000;

export async function openDraws(
  graph: Graph,
  store: Store,
  transaction: Transaction,
  model: Model,
): Promise<OpenDraws> {
  const stocks: Stock[] = [];
  for (const draw of model.draws) stocks.push(await stockOf(graph, store, transaction, draw));
  return {
    choose(values, faker, now) {
      for (const { draw, keys, left } of stocks) {
        const amount = amountOf(draw, values, model, now);
        const { member } = draw.relation.field;
        if (amount === 0n || (values[member] === undefined && !draw.relation.field.rules.required)) continue;
        const start = faker.number.int({ max: Math.max(0, keys.length - 1) });
        const found = keys.findIndex((_key, at) => (left.get(keys[(start + at) % keys.length]!) ?? 0n) >= amount);
        if (found < 0) return `no ${draw.from} has enough ${draw.field.member} left`;
        values[member] = keys[(start + found) % keys.length]!;
      }
      return undefined;
    },
    take(values, now) {
      for (const { draw, left } of stocks) {
        const key = values[draw.relation.field.member] as Scalar;
        const amount = amountOf(draw, values, model, now);
        if (key !== undefined && left.has(key)) left.set(key, left.get(key)! - amount);
      }
    },
  };
}

async function stockOf(graph: Graph, { dialect }: Store, transaction: Transaction, draw: Draw): Promise<Stock> {
  const from = modelOf(graph, draw.from);
  const statement = {
    sql:
      `SELECT ${recordJson(from, [from.key, draw.field], dialect)} ` +
      `FROM ${dialect.name(from.table)} ORDER BY ${keyOrder(dialect, from)} ` +
      `LIMIT ${MOST_STOCKS}`,
  };
  const rows = (await transaction.all(statement, [])).map(
    ([json]) => JSON.parse(String(json)) as Record<string, Scalar>,
  );
  const left = new Map(rows.map((row) => [row[from.key.member]!, unitsOf(row[draw.field.member] ?? 0, draw.field)]));
  return { draw, keys: [...left.keys()], left };
}

/** What a record takes; nothing where its condition does not hold. */
function amountOf(draw: Draw, given: Readonly<Record<string, FieldValue>>, model: Model, now: Date): bigint {
  const defaults = model.fields.map(({ member, rules }): [string, FieldValue] => [member, rules.default ?? null]);
  const values = { ...Object.fromEntries(defaults), ...given };
  if (draw.while !== undefined && evaluate(draw.while, { values, now }) !== true) return 0n;
  const amount = evaluate(draw.amount, { values, now }) as Scalar;
  return amount === null ? 0n : unitsOf(amount, draw.field);
}
