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
import { walk } from '../model/expression.ts';
import { isSame } from '../model/value.ts';
import { recordJson } from '../query/statements.ts';
import { exampleValue } from '../rules/examples.ts';
import { bodyReader } from '../rules/schema.ts';
import type { Values } from '../rules/schema.ts';
import { keyColumn, keyOrder } from '../sql/stored.ts';
import type { Store, Transaction } from '../store/contract.ts';
import { findRecord } from '../search/find-record.ts';
import type { Finding } from '../search/find-record.ts';
import { keyTextOf } from '../search/records.ts';
import type { Row } from '../search/records.ts';
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
      const uuid = keysOf(faker, standing);
      const writes = writesWith({ ...runtime, uuid });
      const [changes, work] = [writes.changesOf(model), writes.begin(transaction)];
      const secret = await secretsOf(model, changes);
      const candidates = await candidatesFor(graph, store, transaction, model);
      const draws = await openDraws(graph, store, transaction, model);
      const search = await searchFor(graph, store, transaction, model, faker, runtime.now);

      let [made, last] = [0, ''];
      for (; made < count; made += 1) {
        let done = false;
        for (let tried = 0; tried < TRIES && !done; tried += 1) {
          const plausible = { ...plausibleRecord(model, candidates, faker), ...secret.plain };
          const chosen = draws.choose(plausible, faker, runtime.now());
          const { values: given, obstacle } = search(plausible);
          const refusal = chosen ?? obstacle;
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
  const { dialect } = store;
  const found = new Map<Field, readonly Scalar[]>();
  for (const { field, target, name: relation } of model.relations) {
    const other = modelOf(graph, target);
    const from = `FROM ${dialect.name(other.table)} ORDER BY ${keyOrder(dialect, other)} LIMIT ${CANDIDATES}`;
    const statement = { sql: `SELECT ${keyColumn(dialect, other.key)} ${from}` };
    const keys = (await transaction.all(statement, [])).map(([value]) => value as Scalar);
    if (keys.length === 0 && field.rules.required) {
      const message = `each ${spoken(model.name)} needs a ${spoken(target)} as its ${relation}, and there is none`;
      throw new NothingToReferTo(message);
    }
    found.set(field, keys);
  }
  return found;
}

/** Keys of version 7, like those that a service makes: a millisecond apart, from the same beginning each time. */
function keysOf(faker: Faker, standing: number): () => string {
  let time = FIRST_KEY + standing;
  return () => {
    const head = (time += 1).toString(16).padStart(12, '0');
    const more = faker.string.hexadecimal({ length: 3, prefix: '', casing: 'lower' });
    return `${head.slice(0, 8)}-${head.slice(8)}-7${more}${faker.string.uuid().slice(18)}`;
  };
}

const FIRST_KEY = Date.UTC(2026, 0, 1);

/** Mends a record that breaks rules across fields or along relations; says what stands in the way where it can't. */
type Mend = (values: Record<string, FieldValue>) => { values: Record<string, FieldValue>; obstacle?: string };

/** A search over the records that the rules of a model look at. */
async function searchFor(
  graph: Graph,
  store: Store,
  transaction: Transaction,
  model: Model,
  faker: Faker,
  now: () => Date,
): Promise<Mend> {
  if (model.rules.length === 0) return (values) => ({ values });
  const rows = new Map<string, ReadonlyMap<string, Row>>();
  for (const name of reachedBy(model)) {
    const other = modelOf(graph, name);
    const sql =
      `SELECT ${recordJson(other, other.fields, store.dialect)} FROM ${store.dialect.name(other.table)} ` +
      `ORDER BY ${keyOrder(store.dialect, other)} LIMIT ${CANDIDATES}`;
    const found = (await transaction.all({ sql }, [])).map(([json]) => JSON.parse(String(json)) as Row);
    rows.set(name, new Map(found.map((row) => [keyTextOf(row[other.key.member]), row])));
  }
  const lists = new Map([...rows].map(([name, all]) => [name, [...all.values()]]));
  const finding: Finding = {
    around: {
      graph,
      now,
      records: {
        allOf: (name) => lists.get(name) ?? [],
        byKey: (name, key) => rows.get(name)?.get(keyTextOf(key)),
      },
    },
    earlier: () => [],
    turn: () => faker.number.int({ max: 1_000_000 }),
    value: (of, field) => plausibleValue(of, field, faker),
    mayMake: () => false,
    isGiven: () => true,
  };
  return (start) => {
    const { drafts, obstacle } = findRecord(finding, model, { start, unique: false, draws: false });
    if (obstacle !== undefined) return { values: start, obstacle };
    const found = drafts.at(-1)!.values;
    const changed = Object.entries(found).filter(
      ([member, value]) => model.byMember.get(member)?.origin !== 'key' && !isSame(value, start[member] ?? null),
    );
    const kept = changed.filter(([member, value]) => value !== null || Object.hasOwn(start, member));
    return { values: { ...start, ...Object.fromEntries(kept) } };
  };
}

/** The models that the rules of one look into, along relations to one record each. */
function reachedBy(model: Model): Set<string> {
  const names = new Set(model.relations.map(({ target }) => target));
  for (const { check } of model.rules) walk(check, (node) => void (node.op === 'at' && names.add(node.target)));
  return names;
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
