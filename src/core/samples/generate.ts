import { base, en, Faker } from '@faker-js/faker';
import { HttpProblem } from '../api/problems.ts';
import type { Changes } from '../change/contract.ts';
import type { Runtime } from '../change/runtime.ts';
import { nested } from '../change/unit-of-work.ts';
import type { UnitOfWork } from '../change/unit-of-work.ts';
import type { Writes } from '../change/writes.ts';
import type { Field } from '../model/field.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import type { FieldValue, Scalar } from '../model/scalar.ts';
import { exampleValue } from '../rules/examples.ts';
import { bodyReader } from '../rules/schema.ts';
import type { Values } from '../rules/schema.ts';
import type { Store, Transaction } from '../store/contract.ts';
import { spoken } from '../text/names.ts';
import { openDraws } from './generate-draws.ts';
import { plausibleValue } from './plausible.ts';

export interface GenerateOptions {
  readonly model: Model;
  readonly count: number;
  /** The same number makes the same records of the same database. */
  readonly random: number;
  readonly onProgress?: (made: number) => void;
}

export interface Generated {
  readonly made: number;
  /** Why fewer were made than requested. */
  readonly stopped?: string;
  /** The secret that all of them have. */
  readonly secret?: string;
}

/** A relation that has nobody to refer to. */
export class NothingToReferTo extends Error {}

/** Records of another model that new ones may refer to. */
const CANDIDATES = 10_000;
/** How often a record is made up before it is given up. */
const TRIES = 80;
const PROGRESS = 100;
/** Numbers that people choose lie nearer to each other. */
const STRIDE = 1_000_003;

/**
 * Makes records that keep the rules, refer to existing records, and draw no more than there is, in one transaction.
 * Throws `NothingToReferTo`.
 */
export function generateRecords(
  graph: Graph,
  store: Store,
  runtime: Runtime,
  writesWith: (runtime: Runtime) => Writes,
  options: GenerateOptions,
): Promise<Generated> {
  const { model, count, random, onProgress } = options;
  const reader = bodyReader(model, 'load');
  return store.transaction(
    async (transaction) => {
      const standing = Number((await transaction.first(countStatement(store, model), []))![0]);
      // A second run goes on where the first one ended.
      const faker = new Faker({ locale: [en, base], seed: random + standing * STRIDE });
      const uuid = (): string => faker.string.uuid();
      const writes = writesWith({ ...runtime, uuid });
      const [changes, work] = [writes.changesOf(model), writes.begin(transaction)];
      const secret = await secretsOf(model, changes);
      const candidates = await candidatesFor(graph, store, transaction, model);
      const draws = await openDraws(graph, store, transaction, model);

      let [made, last] = [0, ''];
      for (; made < count; made += 1) {
        let done = false;
        for (let tried = 0; tried < TRIES && !done; tried += 1) {
          const given = { ...plausibleRecord(model, candidates, faker), ...secret.plain };
          const refusal = draws.choose(given, faker, runtime.now());
          if (refusal !== undefined) {
            last = refusal;
            continue;
          }
          const { values, failures } = reader(given);
          const told =
            failures.length > 0 ? failures[0]!.detail : await created(work, changes, { ...values, ...secret.sealed });
          done = told === undefined;
          last = told ?? last;
          if (done) draws.take(given, runtime.now());
        }
        if (!done) break;
        if (made % PROGRESS !== 0) continue;
        await writes.flush(work);
        onProgress?.(made);
      }
      await writes.flush(work);
      const stopped = made < count ? `no more was found that keeps the rules: ${last}` : undefined;
      return { made, stopped, secret: Object.values(secret.plain)[0] as string | undefined };
    },
    { unlimited: true },
  );
}

const countStatement = ({ dialect }: Store, { table }: Model) => ({
  sql: `SELECT count(*) FROM ${dialect.name(table)}`,
});

/** Undefined, or why the record could not be made. */
async function created(work: UnitOfWork, changes: Changes, values: Values): Promise<string | undefined> {
  try {
    await nested(work, (inner) => changes.create(inner, values));
    return undefined;
  } catch (error) {
    if (!(error instanceof HttpProblem)) throw error;
    const [first] = error.options.errors ?? [];
    return first === undefined ? error.message : first.detail;
  }
}

/** One secret for all: to hash another one for each record would take for ever, and nobody could sign in. */
async function secretsOf(model: Model, changes: Changes): Promise<{ plain: Values; sealed: Values }> {
  const plain = Object.fromEntries(
    model.fields
      .filter(({ type }) => type === 'secret')
      .map((field): [string, FieldValue] => [field.member, exampleValue(field, 1, []) ?? null]),
  );
  return { plain, sealed: await changes.hashSecrets(plain) };
}

/** The keys that each relation may have. */
export type Candidates = ReadonlyMap<Field, readonly Scalar[]>;

async function candidatesFor(graph: Graph, store: Store, transaction: Transaction, model: Model): Promise<Candidates> {
  const { name } = store.dialect;
  const found = new Map<Field, readonly Scalar[]>();
  for (const { field, target, name: relation } of model.relations) {
    const other = modelOf(graph, target);
    const key = name(other.key.column);
    const statement = { sql: `SELECT ${key} FROM ${name(other.table)} ORDER BY ${key} LIMIT ${CANDIDATES}` };
    const keys = (await transaction.all(statement, [])).map(([value]) => value as Scalar);
    if (keys.length === 0 && field.rules.required) {
      const message = `each ${spoken(model.name)} needs a ${spoken(target)} as its ${relation}, and there is none`;
      throw new NothingToReferTo(message);
    }
    found.set(field, keys);
  }
  return found;
}

/** How often a member is given that need not be. */
const GIVEN = 0.8;

function plausibleRecord(model: Model, candidates: Candidates, faker: Faker): Record<string, FieldValue> {
  const values: Record<string, FieldValue> = {};
  for (const field of model.fields) {
    const { rules, member, origin } = field;
    if (origin === 'stamp' || field.type === 'secret' || field.derivedFrom !== undefined) continue;
    if (field === model.key && model.keyKind !== 'field') continue;
    const needed = rules.required && !rules.hasDefault;
    // What the service sets is left to it.
    if (rules.readOnly && !needed) continue;
    if (!needed && !faker.datatype.boolean({ probability: GIVEN })) continue;
    const keys = candidates.get(field);
    const value =
      keys === undefined
        ? plausibleValue(model, field, faker)
        : keys.length === 0
          ? undefined
          : faker.helpers.arrayElement(keys);
    if (value !== undefined) values[member] = value;
  }
  return values;
}
