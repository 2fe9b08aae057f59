import type { Field, FieldValue, Graph, Model, Scalar } from '../model/graph.ts';
import { spoken } from '../model/names.ts';
import { evaluate } from '../expression/evaluate.ts';
import { canonical, isSame, quoted } from '../model/value.ts';
import { HttpProblem, brokenRules } from '../http/problems.ts';
import type { Failure } from '../rules/failure.ts';
import { pointerTo } from '../rules/failure.ts';
import { worded } from '../rules/message.ts';
import { isMerged, valueReader } from '../rules/schema.ts';
import type { ReadBody, Values } from '../rules/schema.ts';
import { StoreError } from '../store/contract.ts';
import type { StoreValue, Transaction } from '../store/contract.ts';
import type { Dialect } from '../store/dialect.ts';
import { mergePatch } from './merge-patch.ts';
import { recordRules } from './record-rules.ts';
import { hashSecret, SALT_LENGTH } from './secret.ts';
import { slugOf } from './slug.ts';
import { changeStatements } from './statements.ts';

/** What a write needs from the world around it. */
export interface Moment {
  now(): Date;
  /** A UUID of version 7. */
  uuid(): string;
  /** So many bytes that nobody can guess. */
  random(bytes: number): Uint8Array;
}

export interface Written {
  readonly key: Scalar;
  /** The record as answers show it, as JSON text; undefined where that is more than its row holds, and takes a look at others. */
  readonly json: string | undefined;
}

/** The writes of one model. Each runs inside a transaction of its caller's, and throws `HttpProblem` where it can't be. */
export interface Changes {
  /** Secrets as their hashes. It takes time, so it is done before a transaction begins. */
  seal(values: Values): Promise<Values>;
  create(transaction: Transaction, values: Values): Promise<Written>;
  /** `replace` gives members that the body leaves out their defaults; `update` leaves them as they are. */
  change(transaction: Transaction, how: 'replace' | 'update', key: Scalar, body: ReadBody): Promise<Written>;
  delete(transaction: Transaction, key: FieldValue): Promise<void>;
  /** A record as answers show it, as JSON text. */
  shown(transaction: Transaction, key: FieldValue): Promise<string>;
}

export function makeChanges(graph: Graph, model: Model, dialect: Dialect, moment: Moment): Changes {
  const statements = changeStatements(graph, model, dialect);
  const bind = (field: Field, value: FieldValue | undefined): StoreValue => dialect.bind(field, value ?? null);
  const rules = recordRules(graph, model, dialect);
  const mergers = new Map(
    model.fields.filter(isMerged).map((field) => [field, valueReader(field, pointerTo(field.member))]),
  );
  const secrets = model.fields.filter(({ type }) => type === 'secret');
  const computedDefaults = model.fields.filter(({ rules }) => rules.defaultTo !== undefined);
  const constants: Values = Object.fromEntries(
    model.fields.map(({ member, rules }) => [member, rules.default ?? null]),
  );
  const defaultsAt = (now: Date): Values => ({
    ...constants,
    ...Object.fromEntries(
      computedDefaults.map(({ member, rules }) => [member, evaluate(rules.defaultTo!, { values: {}, now })]),
    ),
  });

  /** Rules across fields that the record's own values settle, and relations to records that are not there. */
  async function checkDraft(transaction: Transaction, values: Values, before: Values, now: Date): Promise<void> {
    const failures: Failure[] = rules.ownFailures(values, now);
    for (const [relation, exists] of statements.exists) {
      const { field, target } = relation;
      const value = values[field.member] ?? null;
      if (value === null || value === before[field.member]) continue;
      if ((await transaction.first(exists, [bind(field, value)])) !== undefined) continue;
      const detail = `there is no ${spoken(target)} ${quoted(value)}`;
      failures.push({ pointer: pointerTo(field.member), rule: 'unknown-record', detail });
    }
    if (failures.length > 0) throw brokenRules(failures);
  }

  async function checkStored(transaction: Transaction, key: FieldValue, now: Date): Promise<void> {
    const failures: Failure[] = [];
    for (const { statement, values, failure } of rules.stored) {
      const row = await transaction.first(statement, [...values(now), bind(model.key, key)]);
      const value = row?.[0] ?? null;
      if (value !== null && Number(value) === 0) failures.push(failure);
    }
    if (failures.length > 0) throw brokenRules(failures);
  }

  /** Gives slugs to records that have none: the source's text, with a number behind it where that is taken. */
  async function fillSlugs(transaction: Transaction, values: Values): Promise<void> {
    for (const { field, source, set } of statements.slugTaken) {
      const text = values[source];
      if (values[field.member] !== null || typeof text !== 'string') continue;
      let slug = slugOf(text, field);
      for (let n = 2; set !== undefined; n += 1) {
        const others = set.fields.slice(0, -1).map((other) => bind(other, values[other.member]));
        if ((await transaction.first(set.statement, [...others, slug])) === undefined) break;
        slug = slugOf(text, field, n);
      }
      values[field.member] = slug;
    }
  }

  async function current(transaction: Transaction, key: FieldValue): Promise<Values> {
    const row = await transaction.first(statements.readLocked, [bind(model.key, key)]);
    if (row === undefined) throw new HttpProblem('not-found');
    return JSON.parse(row[0] as string) as Values;
  }

  async function refuseDerived(
    transaction: Transaction,
    key: FieldValue,
    given: ReadonlyMap<string, unknown>,
    now: Date,
  ): Promise<void> {
    const { readDerived } = statements;
    if (given.size === 0 || readDerived === undefined) return;
    const row = await transaction.first(readDerived, [bind(model.key, key), ...readDerived.values(now)]);
    const standing = JSON.parse(row![0] as string) as Values;
    const failures = [...given]
      .filter(([member, value]) => !isSame(value as FieldValue, standing[member]))
      .map(([member]) => ({
        pointer: pointerTo(member),
        rule: 'readOnly',
        detail: `is worked out from other values; leave it out, or send ${quoted(standing[member])}`,
      }));
    if (failures.length > 0) throw brokenRules(failures);
  }

  return {
    async seal(values) {
      const sealed: Values = { ...values };
      for (const { member } of secrets) {
        const secret = values[member];
        if (typeof secret === 'string') sealed[member] = await hashSecret(secret, moment.random(SALT_LENGTH));
      }
      return sealed;
    },

    async create(transaction, given) {
      const time = moment.now();
      const now = time.toISOString();
      const values: Values = { ...defaultsAt(time), ...withoutAbsent(given) };
      if (model.keyKind === 'uuid') values[model.key.member] ??= moment.uuid();
      if (model.stamps) {
        values.created_at ??= now;
        values.updated_at ??= now;
      }
      await fillSlugs(transaction, values);
      await checkDraft(transaction, values, {}, time);
      const bound = statements.inserted.map((field) => bind(field, values[field.member]));
      const row = await asProblem(graph, transaction.first(statements.insert, bound));
      const key = row![1] as Scalar;
      await checkStored(transaction, key, time);
      return { key, json: (row![0] as string | null) ?? undefined };
    },

    async change(transaction, how, key, body) {
      const record = await current(transaction, key);
      const now = moment.now();
      refuseChangesOf(body.repeated, record);
      await refuseDerived(transaction, key, body.derived, now);
      const base: Values = how === 'update' ? record : { ...record, ...clearedByReplace(model, defaultsAt(now)) };
      const values: Values = { ...base, ...withoutAbsent(body.values), ...merged(body.patches, record, mergers) };
      if (model.fields.every(({ member }) => isSame(values[member], record[member]))) return { key, json: undefined };
      if (model.stamps) values.updated_at = now.toISOString();
      await checkDraft(transaction, values, record, now);
      const bound = [...statements.updated.map((field) => bind(field, values[field.member])), bind(model.key, key)];
      const row = await asProblem(graph, transaction.first(statements.update, bound));
      await checkStored(transaction, key, now);
      return { key, json: (row![0] as string | null) ?? undefined };
    },

    async delete(transaction, key) {
      const bound = [bind(model.key, key)];
      if ((await transaction.first(statements.readLocked, bound)) === undefined) throw new HttpProblem('not-found');
      const failures: Failure[] = [];
      for (const { model: other, relation, count } of statements.referrers) {
        const row = await transaction.first(count, bound);
        const number = Number(row?.[0] ?? 0);
        if (number === 0) continue;
        const detail = `${number === 1 ? `1 ${spoken(other.name)} refers` : `${number} ${spoken(other.plural)} refer`} to it as ${relation.name}`;
        failures.push({ pointer: '', rule: 'restrict', detail });
      }
      if (failures.length > 0) throw new HttpProblem('still-referred-to', undefined, { errors: failures });
      await asProblem(graph, transaction.run(statements.delete, bound));
    },

    async shown(transaction, key) {
      const { read } = statements;
      const row = await transaction.first(read, [bind(model.key, key), ...read.values(moment.now())]);
      return row![0] as string;
    },
  };
}

/** Members that a replaced record takes from its defaults, because a client could have given them. */
const clearedByReplace = (model: Model, defaults: Values): Values =>
  Object.fromEntries(
    model.fields
      .filter(({ rules }) => !rules.readOnly && !rules.immutable && !rules.writeOnly)
      .filter((field) => field !== model.key && field.derivedFrom === undefined)
      .map(({ member }) => [member, defaults[member] ?? null]),
  );

/** Objects with the patches of an update in them; what they make must keep the rules. */
function merged(
  patches: ReadonlyMap<Field, unknown>,
  record: Values,
  mergers: ReadonlyMap<Field, ReturnType<typeof valueReader>>,
): Values {
  const values: Values = {};
  const failures: Failure[] = [];
  for (const [field, patch] of patches) {
    const read = mergers.get(field)!(mergePatch(record[field.member], patch));
    values[field.member] = read.value;
    failures.push(...read.failures);
  }
  if (failures.length > 0) throw brokenRules(failures);
  return values;
}

const withoutAbsent = (values: Values): Values =>
  Object.fromEntries(Object.entries(values).filter(([, value]) => value !== undefined));

/** What a client may not change, it may still send back as it was read. */
function refuseChangesOf(repeated: ReadonlyMap<Field, unknown>, record: Values): void {
  const failures: Failure[] = [];
  for (const [field, value] of repeated) {
    const read = value === null ? { value: null } : canonical(field, value);
    if ('value' in read && isSame(read.value, record[field.member])) continue;
    const pointer = pointerTo(field.member);
    if (field.origin === 'stamp') {
      const detail = `is ${quoted(record[field.member])} now, got ${quoted(value)}; leave it out, or read the record again`;
      throw new HttpProblem('moved-on', undefined, { errors: [{ pointer, rule: 'stamp', detail }] });
    }
    const rule = field.rules.readOnly ? 'readOnly' : 'immutable';
    const detail = rule === 'readOnly' ? 'is set by the service alone' : 'can not be changed once it is set';
    failures.push({ pointer, rule, detail: `${detail}; leave it out, or send ${quoted(record[field.member])}` });
  }
  if (failures.length > 0) throw brokenRules(failures);
}

/** What a store refuses, as the problem that a client is told. Anything else stays what it is. */
async function asProblem<Result>(graph: Graph, work: Promise<Result>): Promise<Result> {
  try {
    return await work;
  } catch (error) {
    if (!(error instanceof StoreError)) throw error;
    const { fault } = error;
    if (fault.kind === 'foreign-key') {
      throw new HttpProblem('still-referred-to', 'a record that would go along with it is still referred to');
    }
    if (fault.kind !== 'unique') throw error;
    throw taken(graph, fault.table, fault.columns) ?? error;
  }
}

function taken(graph: Graph, table: string, columns: readonly string[]): HttpProblem | undefined {
  const model = graph.models.find((candidate) => candidate.table === table);
  const fields = columns
    .map((column) => model?.fields.find((field) => field.column === column))
    .filter((field) => field !== undefined);
  const last = fields.at(-1);
  if (model === undefined || last === undefined) return undefined;
  const names = fields.map(({ member }) => member).join(' and ');
  const detail = worded(last, 'unique', `another ${spoken(model.name)} has this ${names}`);
  return new HttpProblem('taken', undefined, { errors: [{ pointer: pointerTo(last.member), rule: 'unique', detail }] });
}
