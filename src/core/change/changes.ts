import type { Field, FieldValue, Model, Relation, Scalar } from '../model/graph.ts';
import { spoken } from '../model/names.ts';
import { isSame, quoted } from '../model/value.ts';
import { HttpProblem, brokenRules } from '../http/problems.ts';
import type { Failure } from '../rules/failure.ts';
import { pointerTo } from '../rules/failure.ts';
import { isMerged, valueReader } from '../rules/schema.ts';
import type { Values } from '../rules/schema.ts';
import type { Row, StoreValue } from '../store/contract.ts';
import { cascadeOf } from './cascade.ts';
import type { Changes, Guard, Writing, Written } from './contract.ts';
import { clearedByReplace, defaultsOf } from './defaults.ts';
import { drawsOf, pointerOfDraw, Shortage } from './draws.ts';
import type { Share } from './draws.ts';
import { forCode } from './for-code.ts';
import { hookedOf } from './hooked.ts';
import { changesIn } from './journal.ts';
import { linkWriter } from './links.ts';
import { mergePatch } from './merge-patch.ts';
import { recordRules } from './record-rules.ts';
import { asProblem, refuseChangesOf } from './refusals.ts';
import { sayingOf } from './said.ts';
import { hashSecret, SALT_LENGTH } from './secret.ts';
import { slugsOf } from './slugs.ts';
import { changeStatements } from './statements.ts';
import type { Work } from './work.ts';

export function makeChanges(model: Model, writing: Writing): Changes {
  const { graph, dialect, moment } = writing;
  const statements = changeStatements(graph, model, dialect);
  const bind = (field: Field, value: FieldValue | undefined): StoreValue => dialect.bind(field, value ?? null);
  const rules = recordRules(graph, model, dialect);
  const mergers = new Map(
    model.fields.filter(isMerged).map((field) => [field, valueReader(field, pointerTo(field.member))]),
  );
  const secrets = model.fields.filter(({ type }) => type === 'secret');
  const defaultsAt = defaultsOf(model);
  const links = linkWriter(graph, model, dialect);
  const slugs = slugsOf(model, dialect);
  const draws = drawsOf(graph, model, dialect);
  const sayings = model.draws.map(({ refuse }) => refuse && sayingOf(refuse, graph, model, dialect));
  const hooked = hookedOf(model, writing.code, writing.scopeOf);
  const cascade = cascadeOf(model, writing);
  const changesBetween = changesIn(model);
  const collects = hooked.has('afterCommit');

  /** Rules across fields that the record's own values settle, and relations to records that are not there. */
  async function checkDraft({ transaction }: Work, values: Values, before: Values, now: Date): Promise<void> {
    const failures: Failure[] = rules.ownFailures(values, now);
    const isNew = ({ field: { member } }: Relation): boolean =>
      (values[member] ?? null) !== null && values[member] !== before[member];
    if (model.relations.some(isNew)) {
      // Whether the records of all relations are there, in one look.
      const bound = model.relations.map((relation) => bind(relation.field, isNew(relation) ? values[relation.field.member] : null)); // prettier-ignore
      const there = (await transaction.first(statements.exist, bound))!;
      for (const [at, relation] of model.relations.entries()) {
        if (!isNew(relation) || Number(there[at]) !== 0) continue;
        const { field, target } = relation;
        const detail = `there is no ${spoken(target)} ${quoted(values[field.member])}`;
        failures.push({ pointer: pointerTo(field.member), rule: 'unknown-record', detail });
      }
    }
    if (links.members.length > 0) failures.push(...(await links.failuresOf(transaction, values, before)));
    if (failures.length > 0) throw brokenRules(failures);
  }

  async function checkStored({ transaction }: Work, key: Scalar, now: Date): Promise<void> {
    const failures: Failure[] = [];
    for (const { statement, values, failure } of rules.stored) {
      const row = await transaction.first(statement, [...values(now), bind(model.key, key)]);
      const value = row?.[0] ?? null;
      if (value !== null && Number(value) === 0) failures.push(failure);
    }
    if (failures.length > 0) throw brokenRules(failures);
  }

  async function current({ transaction }: Work, key: Scalar, guard?: Guard): Promise<Values> {
    const row = await transaction.first(statements.readLocked, [bind(model.key, key)]);
    if (row === undefined) throw new HttpProblem('not-found');
    guard?.(row[0] as string);
    return JSON.parse(row[0] as string) as Values;
  }

  async function refuseDerived(
    { transaction }: Work,
    key: Scalar,
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

  /**
   * Moves the stock that a record draws on. Where too little is left the record is written nevertheless, so that the
   * message can tell of it in the model's own words; the transaction is given up with it.
   */
  async function draw(
    work: Work,
    before: readonly Share[],
    values: Values,
    write: () => Promise<Row | undefined>,
  ): Promise<void> {
    if (draws.draws.length === 0) return;
    const now = work.now();
    const after = draws.sharesOf(values, now);
    const failures = draws.failuresOf(after);
    if (failures.length > 0) throw brokenRules(failures);
    try {
      await draws.move(work, before, after);
    } catch (error) {
      if (!(error instanceof Shortage)) throw error;
      const { draw: short, available } = error;
      const saying = sayings[draws.draws.indexOf(short)];
      const said = async (): Promise<string> =>
        saying!(work.transaction, (await write())![0] as Scalar, now, { available });
      const plain = `only ${available} of ${short.from}.${short.field.member} left`;
      const detail = saying === undefined ? plain : await said().catch(() => plain);
      throw new HttpProblem('not-enough-left', undefined, {
        errors: [{ pointer: pointerOfDraw(short), rule: 'draw', detail, available }],
      });
    }
  }

  /** A record is written: what is left to be done with it. */
  async function settle(
    work: Work,
    [key, shown, stored]: Row,
    before: Values | undefined,
    values: Values,
    now: Date,
  ): Promise<Written> {
    const { transaction } = work;
    const record = { ...values, [model.key.member]: key as Scalar };
    if (links.members.length > 0) await links.write(transaction, key as Scalar, record, before ?? {});
    await checkStored(work, key as Scalar, now);
    const kind = before === undefined ? 'create' : 'update';
    const name = before === undefined ? 'afterCreate' : 'afterUpdate';
    await hooked.run(name, work, record, ...(before === undefined ? [] : [before]));
    if (model.journal) {
      const changes = changesBetween(before, record);
      work.entries.push({ model: model.name, key: key as Scalar, at: now, action: kind, changes });
    }
    if (collects) {
      const seen = { record: forCode(model, record), before: before && forCode(model, before) };
      work.events.push({ kind, model: model.name, key: key as Scalar, ...seen });
    }
    const isKnown = statements.returnsAll && !hooked.has(name);
    const texts = { shown: shown as string, stored: (stored as string | null) ?? undefined };
    return { key: key as Scalar, ...(isKnown ? { texts } : {}) };
  }

  const changes: Changes = {
    async seal(values) {
      const sealed: Values = { ...values };
      for (const { member } of secrets) {
        const secret = values[member];
        if (typeof secret === 'string') sealed[member] = await hashSecret(secret, moment.random(SALT_LENGTH));
      }
      return sealed;
    },

    async create(work, given) {
      const { transaction } = work;
      const time = work.now();
      const now = time.toISOString();
      const values: Values = { ...defaultsAt(time), ...withoutAbsent(given) };
      if (model.keyKind === 'uuid') values[model.key.member] ??= moment.uuid();
      if (model.stamps) {
        values.created_at ??= now;
        values.updated_at ??= now;
      }
      const filled = await slugs.fill(transaction, values);
      await checkDraft(work, values, {}, time);
      links.arrange(values);
      if (hooked.has('beforeCreate')) {
        const set = await hooked.draft('beforeCreate', work, values);
        Object.assign(values, await changes.seal(withNulls(set)));
        if (Object.keys(set).length > 0) await checkDraft(work, values, {}, time);
      }
      const insert = (): Promise<Row | undefined> =>
        transaction.first(
          statements.insert,
          statements.inserted.map((field) => bind(field, values[field.member])),
        );
      await draw(work, [], values, insert);
      const row = await asProblem(graph, 'write', slugs.write(transaction, values, filled, insert));
      return settle(work, row!, undefined, values, time);
    },

    async change(work, how, key, given, guard) {
      const { transaction } = work;
      const record = await current(work, key, guard);
      const body = typeof given === 'function' ? await given(record) : given;
      const now = work.now();
      refuseChangesOf(body.repeated, record);
      await refuseDerived(work, key, body.derived, now);
      const base: Values = how === 'update' ? record : { ...record, ...clearedByReplace(model, defaultsAt(now)) };
      const values: Values = { ...base, ...withoutAbsent(body.values), ...merged(body.patches, record, mergers) };
      const changed = model.fields.filter(({ member }) => !isSame(values[member], record[member]));
      if (changed.length === 0 && links.isSame(values, record)) return { key };
      await checkDraft(work, values, record, now);
      links.arrange(values);
      if (hooked.has('beforeUpdate')) {
        const members = [
          ...changed.map(({ member }) => member),
          ...(links.isSame(values, record) ? [] : links.members),
        ];
        const draft = Object.fromEntries(members.map((member) => [member, values[member] ?? null]));
        const set = await hooked.draft('beforeUpdate', work, draft, record);
        if (set[model.key.member] !== undefined) throw new Error(`beforeUpdate of ${model.name} changed a key`);
        const back = Object.entries(set).map(
          ([member, value]) => [member, value === undefined ? (record[member] ?? null) : value] as const,
        );
        Object.assign(values, await changes.seal(Object.fromEntries(back)));
        if (back.length > 0) await checkDraft(work, values, record, now);
      }
      if (model.stamps && isSame(values.updated_at, record.updated_at)) values.updated_at = now.toISOString();
      const update = (): Promise<Row | undefined> =>
        transaction.first(statements.update, [
          ...statements.updated.map((field) => bind(field, values[field.member])),
          bind(model.key, key),
        ]);
      await draw(work, draws.sharesOf(record, now), values, update);
      const row = await asProblem(graph, 'write', update());
      return settle(work, row!, record, values, now);
    },

    async delete(work, key, guard) {
      const record = await current(work, key, guard);
      if (!(await cascade.delete(work, key))) await changes.remove(work, key, record);
    },

    lock: current,

    async shown({ transaction, now }, key) {
      const { readShown } = statements;
      const row = await transaction.first(readShown, [bind(model.key, key), ...readShown.values(now())]);
      if (row === undefined) throw new HttpProblem('not-found');
      return { shown: row[0] as string, stored: (row[1] as string | undefined) ?? undefined };
    },

    async remove(work, key, record) {
      const { transaction } = work;
      const now = work.now();
      const bound = [bind(model.key, key)];
      await hooked.run('beforeDelete', work, record);
      const failures: Failure[] = [];
      for (const { model: other, relation, count } of statements.referrers) {
        const row = await transaction.first(count, bound);
        const number = Number(row?.[0] ?? 0);
        if (number === 0) continue;
        const detail = `${number === 1 ? `1 ${spoken(other.name)} refers` : `${number} ${spoken(other.plural)} refer`} to it as ${relation.name}`;
        failures.push({ pointer: '', rule: 'restrict', detail });
      }
      if (failures.length > 0) throw new HttpProblem('still-referred-to', undefined, { errors: failures });
      const nothing = draws.draws.map((): Share => ({ key: null, amount: 0n }));
      await draws.move(work, draws.sharesOf(record, now), nothing);
      await asProblem(graph, 'delete', transaction.run(statements.delete, bound));
      await hooked.run('afterDelete', work, record);
      if (model.journal) {
        const gone = changesBetween(record, undefined);
        work.entries.push({ model: model.name, key, at: now, action: 'delete', changes: gone });
      }
      if (collects) work.events.push({ kind: 'delete', model: model.name, key, record: forCode(model, record) });
    },
  };
  return changes;
}

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

/** What a hook took out of a draft is null. */
const withNulls = (values: Readonly<Record<string, FieldValue | undefined>>): Values =>
  Object.fromEntries(Object.entries(values).map(([member, value]) => [member, value ?? null]));
