import { pointerTo } from '../api/failure.ts';
import type { Failure } from '../api/failure.ts';
import { defaultsOf } from '../change/defaults.ts';
import { byPlace } from '../declaration/problem.ts';
import type { Problem } from '../declaration/problem.ts';
import type { Graph } from '../model/graph.ts';
import { keyOfValues } from '../model/joined-key.ts';
import type { Model } from '../model/model.ts';
import type { FieldValue, Scalar } from '../model/scalar.ts';
import { bodyReader } from '../rules/schema.ts';
import { keyTextOf } from '../search/records.ts';
import type { Records, Row } from '../search/records.ts';
import { valueOver } from '../search/related.ts';
import type { Surroundings } from '../search/related.ts';
import { amountMember, lowestOf, shareOf, unitsOf, valueOfUnits } from '../search/stock.ts';
import { spoken } from '../text/names.ts';
import { nameOf, orderRows } from './order.ts';
import type { SampleRow } from './read.ts';
import { missingSample, problemsOf, waitingOnly, withKeys } from './references.ts';

/**
 * The problems of samples that show without a database: rules of fields, across fields and along relations, references,
 * unique sets and draws. What the project's own hooks say of them shows when they are loaded.
 */
export async function checkSamples(graph: Graph, rows: readonly SampleRow[], now: Date): Promise<Problem<string>[]> {
  const { rows: ordered, later } = orderRows(graph, rows);
  const handles = new Set(rows.map(nameOf));
  const keys = new Map<string, Scalar>();
  const refused = new Set<string>();
  const tables = new Map(graph.models.map(({ name }) => [name, new Map<string, Row>()]));
  const around = surroundingsOf(graph, tables, now);
  const readers = new Map(graph.models.map((model) => [model, bodyReader(model, 'load')]));
  const defaults = new Map(graph.models.map((model) => [model, defaultsOf(model)({ now, caller: null })]));
  const keyOfSample = (sample: string): Promise<Scalar | undefined> => Promise.resolve(keys.get(sample));
  const problems: Problem<string>[] = [];
  const taken: Taken = new Map();

  for (const [at, row] of ordered.entries()) {
    const { model } = row;
    const found = await withKeys(row, keyOfSample, handles, later.get(row));
    const { values, failures } = readers.get(model)!(found.values);
    const broken = [
      ...found.missing.filter(({ sample }) => !refused.has(sample)).map((one) => missingSample(row, one, handles)),
      ...problemsOf(row, failures, found.missing),
    ];
    if (broken.length + found.missing.length === 0) {
      const record: Record<string, FieldValue> = { ...defaults.get(model)!, ...withoutAbsent(values) };
      record[model.key.member] ??= keyOfValues(model.key, record) ?? standIn(model, at);
      for (const { field, value } of model.madeDefaults)
        if (values[field.member] === undefined && field.derivedFrom === undefined)
          record[field.member] = valueOver(around, value, model, record);
      broken.push(...problemsOf(row, keep(around, tables, taken, model, record), []));
      keys.set(nameOf(row), record[model.key.member] as Scalar);
    }
    if (broken.length > 0 || found.missing.length > 0) refused.add(nameOf(row));
    problems.push(
      ...broken.map((problem) => ({ ...problem, remedy: problem.remedy.replace(/; nothing was .*$/, '') })),
    );
  }
  for (const [row, members] of later) {
    const { missing } = await withKeys(waitingOnly(row, members), keyOfSample, handles);
    const unknown = missing.filter(({ sample }) => !refused.has(sample));
    problems.push(...unknown.map((one) => missingSample(row, one, handles)));
  }
  return problems.sort(byPlace);
}

const withoutAbsent = (values: Readonly<Record<string, FieldValue | undefined>>): Record<string, FieldValue> =>
  Object.fromEntries(Object.entries(values).filter((entry): entry is [string, FieldValue] => entry[1] !== undefined));

/** A key in the place of the one that the service will make. */
function standIn({ keyKind }: Model, at: number): Scalar {
  return keyKind === 'serial' ? at + 1 : `00000000-0000-7000-8000-${String(at).padStart(12, '0')}`;
}

type Tables = ReadonlyMap<string, Map<string, Row>>;

function surroundingsOf(graph: Graph, tables: Tables, now: Date): Surroundings {
  const records: Records = {
    allOf: (name) => [...tables.get(name)!.values()],
    byKey: (name, key) => (key === null || key === undefined ? undefined : tables.get(name)!.get(keyTextOf(key))),
  };
  return { graph, records, now: () => now };
}

/** Keeps a record, and reports what stands against it among those that were kept before. */
function keep(around: Surroundings, tables: Tables, taken: Taken, model: Model, record: Row): Failure[] {
  const { records } = around;
  const failures = takenFailures(taken, model, record);
  for (const draw of model.draws) {
    const { field, from } = draw;
    const { key, amount, isWrong } = shareOf(model, draw, record, { now: around.now(), caller: null });
    const stock = records.byKey(from, key);
    const left = unitsOf((stock?.[field.member] ?? valueOfUnits(lowestOf(field), field)) as Scalar, field);
    const pointer = pointerTo(amountMember(draw));
    if (isWrong) failures.push({ pointer, rule: 'draw', detail: 'is no amount that can be taken' });
    else if (amount > 0n && left - amount < lowestOf(field)) {
      const available = valueOfUnits(left - lowestOf(field), field) as string | number;
      failures.push({
        pointer,
        rule: 'draw',
        detail: `takes more than is left of ${from}.${field.member}: ${available}`,
      });
    } else if (stock !== undefined && amount !== 0n)
      tables.get(from)!.set(keyTextOf(key), { ...stock, [field.member]: valueOfUnits(left - amount, field) });
  }
  tables.get(model.name)!.set(keyTextOf(record[model.key.member]), record);
  for (const { check, at, message } of model.rules) {
    if (valueOver(around, check, model, record) === false)
      failures.push({ pointer: at === undefined ? '' : pointerTo(at), rule: 'check', detail: message });
  }
  return failures;
}

/** The values that rows have in each unique set, by the set's members. */
type Taken = Map<string, Set<string>>;

function takenFailures(taken: Taken, model: Model, record: Row): Failure[] {
  const sets = [...model.unique, ...(model.keyKind === 'field' ? [[model.key]] : [])];
  return sets.flatMap((set): Failure[] => {
    const values = set.map(({ member }) => record[member] ?? null);
    if (values.includes(null)) return [];
    const members = set.map(({ member }) => member);
    const name = `${model.name} ${members.join(' ')}`;
    const among = taken.get(name) ?? new Set<string>();
    taken.set(name, among);
    const isTaken = among.has(JSON.stringify(values));
    among.add(JSON.stringify(values));
    const detail = `is taken: another ${spoken(model.name)} has this ${members.join(' and ')}`;
    return isTaken ? [{ pointer: pointerTo(members.at(-1)!), rule: 'unique', detail }] : [];
  });
}
