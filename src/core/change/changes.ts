import type { Act } from '../access/condition.ts';
import { bySight } from '../access/sight.ts';
import type { Sight } from '../access/sight.ts';
import { pointerTo } from '../api/failure.ts';
import type { Failure } from '../api/failure.ts';
import { brokenRules, HttpProblem } from '../api/problems.ts';
import { hashSecret, SALT_LENGTH } from '../identity/secret.ts';
import type { Field } from '../model/field.ts';
import type { Model } from '../model/model.ts';
import { ownerField } from '../model/related.ts';
import type { Relation } from '../model/relation.ts';
import type { FieldValue, Scalar } from '../model/scalar.ts';
import { isSame } from '../model/value.ts';
import { isMerged, valueReader } from '../rules/schema.ts';
import type { Values } from '../rules/schema.ts';
import type { Row, StoreValue } from '../sql/statement.ts';
import { spoken } from '../text/names.ts';
import { quoted } from '../text/value.ts';
import { cascadeOf } from './cascade.ts';
import type { Changes, Held, Writing, Written } from './contract.ts';
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
import { slugsOf } from './slugs.ts';
import { changeStatements, lookUps } from './statements.ts';
import type { LookUps } from './statements.ts';
import { refuseSetting, termsOf } from './terms.ts';
import { occasionOf } from './work.ts';
import type { Work } from './work.ts';

export function makeChanges(model: Model, writing: Writing): Changes {
  const { graph, dialect, moment } = writing;
  const statements = changeStatements(graph, model, dialect);
  const bind = (field: Field, value: FieldValue | undefined): StoreValue => dialect.bind(field, value ?? null);
  const rules = recordRules(graph, model, dialect);
  const mergers = new Map(
    model.fields.filter(isMerged).map((field) => [field, valueReader(field, pointerTo(field.member))]),
  );
  const stocks = model.fields.filter(({ drawnOn, member }) => drawnOn === true && model.access.set.has(member));
  const stockReaders = new Map(stocks.map((field) => [field, valueReader(field, pointerTo(field.member))]));
  const owner = ownerField(model);
  const required = model.fields.filter(({ rules }) => rules.required && !rules.readOnly);
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
  const { service } = writing.sights;
  const lookFor = bySight((sight: Sight) => lookUps(model, sight, dialect));
  const termsFor = bySight((sight: Sight) => termsOf(model, sight, dialect));

  /**
   * Rules across fields that the record's own values settle, and relations to records that are not there. `given` are
   * the members whose records must be there for a viewer; what they lead to already, as far as `before` says so, is.
   */
  async function checkDraft(work: Work, values: Values, before: Values, look: LookUps, given = values): Promise<void> {
    const occasion = occasionOf(work);
    const failures: Failure[] = rules.ownFailures(values, occasion);
    const isNew = ({ field: { member } }: Relation): boolean =>
      (given[member] ?? null) !== null && given[member] !== before[member];
    if (model.relations.some(isNew)) {
      // Whether the records of all relations are there, in one look.
      const bound = model.relations.map((relation) =>
        bind(relation.field, isNew(relation) ? given[relation.field.member] : null),
      );
      const there = (await work.transaction.first(look.exist, [...bound, ...look.exist.values(occasion)]))!;
      for (const [at, relation] of model.relations.entries()) {
        if (!isNew(relation) || Number(there[at]) !== 0) continue;
        const { field, target } = relation;
        const detail = `there is no ${spoken(target)} ${quoted(given[field.member])}`;
        failures.push({ pointer: pointerTo(field.member), rule: 'unknown-record', detail });
      }
    }
    if (links.members.length > 0) failures.push(...(await links.failuresOf(work, given, before, look.linked)));
    if (failures.length > 0) throw brokenRules(failures);
  }

  async function checkStored(work: Work, key: Scalar): Promise<void> {
    const occasion = occasionOf(work);
    const failures: Failure[] = [];
    for (const { statement, values } of rules.locks) {
      await work.transaction.first(statement, [...values(occasion), bind(model.key, key)]);
    }
    for (const { statement, values, failure } of rules.stored) {
      const row = await work.transaction.first(statement, [...values(occasion), bind(model.key, key)]);
      const value = row?.[0] ?? null;
      if (value !== null && Number(value) === 0) failures.push(failure);
    }
    if (failures.length > 0) throw brokenRules(failures);
  }

  async function current({ transaction }: Work, key: Scalar): Promise<Values> {
    const row = await transaction.first(statements.readLocked, [bind(model.key, key)]);
    if (row === undefined) throw new HttpProblem('not-found');
    return JSON.parse(row[0] as string) as Values;
  }

  async function refuseDerived(
    work: Work,
    key: Scalar,
    given: ReadonlyMap<string, unknown>,
    { readDerived }: LookUps,
  ): Promise<void> {
    if (given.size === 0) return;
    const bound = readDerived && [bind(model.key, key), ...readDerived.values(occasionOf(work))];
    const row = readDerived && (await work.transaction.first(readDerived, bound!));
    const standing = JSON.parse((row?.[0] ?? '{}') as string) as Values;
    const failures = [...given]
      .filter(([member, value]) => !isSame(value as FieldValue, standing[member] ?? null))
      .map(([member]) => ({
        pointer: pointerTo(member),
        rule: 'readOnly',
        detail: `is worked out from other values; leave it out, or send ${quoted(standing[member] ?? null)}`,
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
    const occasion = occasionOf(work);
    const after = draws.sharesOf(values, occasion);
    const failures = draws.failuresOf(after);
    if (failures.length > 0) throw brokenRules(failures);
    try {
      await draws.move(work, before, after);
    } catch (error) {
      if (!(error instanceof Shortage)) throw error;
      const { draw: short, available } = error;
      const saying = sayings[draws.draws.indexOf(short)];
      const said = async (): Promise<string> =>
        saying!(work.transaction, (await write())![0] as Scalar, occasion, { available });
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
    act: Act,
    sight: Sight | undefined,
  ): Promise<Written> {
    const { transaction } = work;
    const record = { ...values, [model.key.member]: key as Scalar };
    if (links.members.length > 0) await links.write(transaction, key as Scalar, record, before ?? {});
    await checkStored(work, key as Scalar);
    if (sight !== undefined) await termsFor(sight).judgeStored(work, act, key as Scalar);
    const kind = before === undefined ? 'create' : 'update';
    const name = before === undefined ? 'afterCreate' : 'afterUpdate';
    await hooked.run(name, work, record, ...(before === undefined ? [] : [before]));
    await noteCaller(work, key as Scalar, before, record);
    if (model.journal) {
      const changes = changesBetween(before, record);
      work.entries.push({ model: model.name, key: key as Scalar, at: work.now(), action: kind, changes });
    }
    if (collects) {
      const seen = { record: forCode(model, record), before: before && forCode(model, before) };
      work.events.push({ kind, model: model.name, key: key as Scalar, ...seen });
    }
    const isKnown = statements.returnsAll && lookFor(sight ?? service).seesAll && !hooked.has(name);
    const texts = { shown: shown as string, stored: (stored as string | null) ?? undefined };
    return { key: key as Scalar, ...(isKnown ? { texts } : {}) };
  }

  /** Somebody who can sign in has changed: with another secret, or without a record, their tokens are over. */
  async function noteCaller(
    work: Work,
    key: Scalar,
    before: Values | undefined,
    after: Values | undefined,
  ): Promise<void> {
    const { identity } = graph;
    if (identity?.model !== model.name || before === undefined) return;
    work.told.callers = true;
    const secret = identity.secret?.member;
    if (secret === undefined || (after !== undefined && after[secret] === before[secret])) return;
    await writing.credentials.forget(work.transaction, key);
  }

  /** What may be hidden could be left out; what is not, could not. */
  function refuseMissing(values: Values): void {
    const missing = required.filter(({ member }) => (values[member] ?? null) === null);
    if (missing.length === 0) return;
    throw brokenRules(
      missing.map(({ member }) => ({ pointer: pointerTo(member), rule: 'required', detail: 'must be given' })),
    );
  }

  /** Names and counts what whoever asked may know of; that something else is there is all that they are told of it. */
  async function refuseReferred(work: Work, key: Scalar): Promise<void> {
    const failures: Failure[] = [];
    let hidden = false;
    for (const { model: other, relation, count } of lookFor(work.sight).referrers) {
      const row = await work.transaction.first(count, [bind(model.key, key), ...count.values(occasionOf(work))]);
      const [all, number] = [Number(row?.[0] ?? 0), Number(row?.[1] ?? 0)];
      hidden ||= all > number;
      if (number === 0) continue;
      const detail =
        `${number === 1 ? `1 ${spoken(other.name)} refers` : `${number} ${spoken(other.plural)} refer`} ` +
        `to it as ${relation.name}`;
      failures.push({ pointer: '', rule: 'restrict', detail });
    }
    if (failures.length === 0 && !hidden) return;
    throw new HttpProblem('still-referred-to', undefined, failures.length > 0 ? { errors: failures } : {});
  }

  /** Stock that draws alone change, but for callers who are named for it. */
  function stockIn(
    given: ReadonlyMap<Field, unknown>,
    { sets }: Held,
  ): { stock: Values; repeated: ReadonlyMap<Field, unknown> } {
    const free = [...given].filter(([field]) => stockReaders.has(field) && sets(field.member));
    if (free.length === 0) return { stock: {}, repeated: given };
    const read = free.map(([field, value]) => ({ member: field.member, ...stockReaders.get(field)!(value) }));
    const failures = read.flatMap((one) => one.failures);
    if (failures.length > 0) throw brokenRules(failures);
    const stock = Object.fromEntries(read.map(({ member, value }) => [member, value]));
    return { stock, repeated: new Map([...given].filter(([field]) => !Object.hasOwn(stock, field.member))) };
  }

  /** What a client's body asks for, without what it repeats of members that they may not set. */
  function wantedOf(asked: Values, { seen, sets }: Held, sight: Sight): Values {
    const closed = Object.keys(asked).filter((member) => !sets(member));
    refuseSetting(
      sight,
      closed.filter((member) => !Object.hasOwn(seen, member) || !isSame(asked[member], seen[member])),
    );
    return Object.fromEntries(Object.entries(asked).filter(([member]) => !closed.includes(member)));
  }

  /**
   * What is to be set, but for what a client can't have meant because they don't see it: hidden members that they give
   * no value, relations that are null to them alone, links to records that they may not read.
   */
  function keepingHidden(set: Values, wanted: Values, { record, seen, sets }: Held): Values {
    const kept: Values = {};
    for (const [member, value] of Object.entries(set)) {
      const field = model.byMember.get(member);
      const isLeftOut = !Object.hasOwn(wanted, member);
      if (isLeftOut && ((field !== undefined && field === owner) || !Object.hasOwn(seen, member) || !sets(member)))
        continue;
      const isHidden = (seen[member] ?? null) === null && (record[member] ?? null) !== null;
      if (field?.origin === 'relation' && value === null && isHidden) continue;
      kept[member] = field === undefined ? links.joined(member, value, seen, record) : value;
    }
    return kept;
  }

  const asksForMore = (wanted: Values, seen: Values): boolean =>
    !links.isSame({ ...seen, ...wanted }, seen) ||
    Object.keys(wanted).some((member) => model.byMember.has(member) && !isSame(wanted[member], seen[member] ?? null));

  const changes: Changes = {
    async seal(values, hash = (secret) => hashSecret(secret, moment.random(SALT_LENGTH))) {
      const sealed: Values = { ...values };
      for (const { member } of secrets) {
        const secret = values[member];
        if (typeof secret === 'string') sealed[member] = await hash(secret);
      }
      return sealed;
    },

    countSecrets: (values) => secrets.filter(({ member }) => typeof values[member] === 'string').length,

    async create(work, given, sight) {
      const { transaction } = work;
      const time = work.now();
      const now = time.toISOString();
      const defaults = defaultsAt(occasionOf(work));
      const values: Values = { ...defaults, ...withoutAbsent(given) };
      if (model.keyKind === 'uuid') values[model.key.member] ??= moment.uuid();
      if (model.stamps) {
        values.created_at ??= now;
        values.updated_at ??= now;
      }
      const filled = await slugs.fill(transaction, values);
      await checkDraft(work, values, {}, lookFor(sight ?? service));
      links.arrange(values);
      const terms = sight && termsFor(sight);
      await terms?.judgeOwner(work, 'create', values, {});
      await terms?.judgeGiven(work, withoutAbsent(given), values, defaults);
      await terms?.judge(work, 'create', values);
      if (hooked.has('beforeCreate')) {
        const set = await hooked.draft('beforeCreate', work, values);
        Object.assign(values, await changes.seal(withNulls(set)));
        if (Object.keys(set).length > 0) {
          await checkDraft(work, values, {}, lookFor(service));
          await terms?.judge(work, 'create', values);
        }
      }
      const insert = (): Promise<Row | undefined> =>
        transaction.first(
          statements.insert,
          statements.inserted.map((field) => bind(field, values[field.member])),
        );
      await draw(work, [], values, insert);
      const row = await asProblem(graph, 'write', slugs.write(transaction, values, filled, insert));
      return settle(work, row!, undefined, values, 'create', sight);
    },

    async change(work, how, key, given, client) {
      const { transaction } = work;
      const sight = client?.sight;
      const terms = sight && termsFor(sight);
      const look = lookFor(sight ?? service);
      const held =
        client === undefined ? wholly(await current(work, key)) : await terms!.hold(work, key, how, client.guard);
      const { record, seen } = held;
      const body = typeof given === 'function' ? await given(seen) : given;
      const now = work.now();
      const { stock, repeated } = stockIn(body.repeated, held);
      refuseChangesOf(repeated, seen);
      await refuseDerived(work, key, body.derived, look);
      const defaults = how === 'update' ? {} : clearedByReplace(model, defaultsAt(occasionOf(work)));
      const asked = { ...withoutAbsent(body.values), ...stock, ...merged(body.patches, seen, mergers) };
      const wanted = client === undefined ? asked : wantedOf(asked, held, client.sight);
      const set = { ...defaults, ...wanted };
      const values: Values = { ...record, ...(client === undefined ? set : keepingHidden(set, wanted, held)) };
      if (client !== undefined) refuseMissing(values);
      const changed = model.fields.filter(({ member }) => !isSame(values[member], record[member]));
      // Where somebody asks for more than they see already, they are not to learn that it stands there.
      const isAsked = client !== undefined && asksForMore(wanted, seen);
      if (changed.length === 0 && links.isSame(values, record) && !isAsked) return { key };
      await checkDraft(work, values, seen, look, client === undefined ? values : set);
      links.arrange(values);
      await terms?.judgeOwner(work, how, values, record);
      await terms?.judge(work, how, values);
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
        if (back.length > 0) {
          await checkDraft(work, values, record, lookFor(service));
          await terms?.judge(work, how, values);
        }
      }
      if (model.stamps && isSame(values.updated_at, record.updated_at)) values.updated_at = now.toISOString();
      const update = (): Promise<Row | undefined> =>
        transaction.first(statements.update, [
          ...statements.updated.map((field) => bind(field, values[field.member])),
          bind(model.key, key),
        ]);
      await draw(work, draws.sharesOf(record, occasionOf(work)), values, update);
      const row = await asProblem(graph, 'write', update());
      return settle(work, row!, record, values, how, sight);
    },

    async delete(work, key, client) {
      const record =
        client === undefined ? await current(work, key) : (await changes.hold(work, key, 'delete', client)).record;
      if (!(await cascade.delete(work, key))) await changes.remove(work, key, record);
    },

    lock: current,

    hold: (work, key, act, { sight, guard }) => termsFor(sight).hold(work, key, act, guard),

    async shown(work, key, sight = service) {
      const { readShown } = lookFor(sight);
      const row = await work.transaction.first(readShown, [
        bind(model.key, key),
        ...readShown.values(occasionOf(work)),
      ]);
      return row && { shown: row[0] as string, stored: (row[1] as string | undefined) ?? undefined };
    },

    async remove(work, key, record) {
      const { transaction } = work;
      const now = work.now();
      const bound = [bind(model.key, key)];
      await hooked.run('beforeDelete', work, record);
      await refuseReferred(work, key);
      const nothing = draws.draws.map((): Share => ({ key: null, amount: 0n }));
      await draws.move(work, draws.sharesOf(record, occasionOf(work)), nothing);
      await asProblem(graph, 'delete', transaction.run(statements.delete, bound));
      await noteCaller(work, key, record, undefined);
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

/** A record in the hands of the service itself. */
const wholly = (record: Values): Held => ({ record, seen: record, sets: () => true });

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
