import { createHash } from 'node:crypto';
import { makeChanges } from '../change/changes.ts';
import type { Changes, Moment } from '../change/changes.ts';
import { byPlace } from '../declaration/problem.ts';
import type { Problem } from '../declaration/problem.ts';
import { HttpProblem } from '../http/problems.ts';
import type { FieldValue, Graph, Model } from '../model/graph.ts';
import { fromText } from '../model/value.ts';
import { readStatement } from '../query/statements.ts';
import type { Failure } from '../rules/failure.ts';
import { bodyReader } from '../rules/schema.ts';
import type { BodyReader, Values } from '../rules/schema.ts';
import type { Statement, Store, Transaction } from '../store/contract.ts';
import { samplesTable } from '../tables/own-tables.ts';
import { memberField } from './read.ts';
import type { SampleRow } from './read.ts';

export interface Loaded {
  /** A line for each model that has samples, in the order of loading. */
  readonly models: readonly { model: string; made: number; changed: number; unchanged: number }[];
  /** Samples that were loaded once and are in the files no more: `hut/old-hut`. Their records are left alone. */
  readonly gone: readonly string[];
  /** The key of each sample's record, by `hut/grey-hut`. */
  readonly keys: ReadonlyMap<string, FieldValue>;
}

/** Rows that break rules: nothing was loaded. */
export class BadSamples extends Error {
  readonly problems: readonly Problem[];
  constructor(problems: readonly Problem[]) {
    super('samples break rules');
    this.problems = [...problems].sort(byPlace);
  }
}

interface Remembered {
  readonly key: string;
  readonly digest: string;
}

/**
 * Loads samples in one transaction, in the order that relations need, through the rules of requests but with the
 * service's own authority. What is unchanged since the last time is left alone. Throws `BadSamples`.
 */
export async function loadSamples(
  graph: Graph,
  store: Store,
  rows: readonly SampleRow[],
  moment: Moment,
): Promise<Loaded> {
  const { dialect } = store;
  const memory = memoryStatements(store);
  const tools = new Map<Model, { reader: BodyReader; changes: Changes; there: Statement }>(
    graph.models.map((model) => [
      model,
      {
        reader: bodyReader(model, 'load'),
        changes: makeChanges(graph, model, dialect, moment),
        there: readStatement(model, [model.key], dialect),
      },
    ]),
  );
  const handles = new Set(rows.map(nameOf));
  const ordered = graph.models.flatMap((model) => rows.filter((row) => row.model === model));

  return store.transaction(async (transaction) => {
    const remembered = new Map<string, Remembered>();
    for (const [name, key, digest] of await transaction.all(memory.all, [])) {
      remembered.set(String(name), { key: String(key), digest: String(digest) });
    }
    const keys = new Map<string, FieldValue>();
    const counts = new Map<Model, { made: number; changed: number; unchanged: number }>();
    const problems: Problem[] = [];
    const refused = new Set<string>();

    for (const row of ordered) {
      const { model } = row;
      const { reader, changes, there } = tools.get(model)!;
      const count = counts.get(model) ?? { made: 0, changed: 0, unchanged: 0 };
      counts.set(model, count);

      const name = nameOf(row);
      const resolved = withKeys(row, handles, keys);
      if ('awaits' in resolved) {
        problems.push(...awaiting(row, resolved.awaits, resolved.member, refused));
        refused.add(name);
        continue;
      }
      const { values, failures } = reader(resolved.values);
      if (failures.length > 0) {
        problems.push(...failures.map((failure) => problemOf(row, failure)));
        refused.add(name);
        continue;
      }
      const before = remembered.get(name);
      const digest = digestOf(resolved.values);
      const oldKey = before === undefined ? undefined : valueOf(fromText(model.key, before.key));
      const stands =
        oldKey !== undefined && (await transaction.first(there, [dialect.bind(model.key, oldKey)])) !== undefined;
      try {
        if (stands && before?.digest === digest) {
          count.unchanged += 1;
          keys.set(name, oldKey);
          continue;
        }
        if (stands) await changes.change(transaction, 'replace', oldKey, { values, repeated: new Map(), failures });
        const key = stands ? oldKey : (await changes.create(transaction, values)).key;
        keys.set(name, key);
        count[stands ? 'changed' : 'made'] += 1;
        await remember(transaction, memory, name, String(key), digest);
      } catch (error) {
        if (!(error instanceof HttpProblem)) throw error;
        const told = (error.options.errors ?? []).filter((one): one is Failure => 'rule' in one);
        problems.push(...told.map((failure) => problemOf(row, failure)));
        refused.add(name);
      }
    }
    if (problems.length > 0) throw new BadSamples(problems);

    return {
      models: [...counts].map(([model, count]) => ({ model: model.name, ...count })),
      gone: [...remembered.keys()].filter((name) => !handles.has(name)),
      keys,
    };
  });
}

const nameOf = ({ model, handle }: SampleRow): string => `${model.name}/${handle}`;

const valueOf = (read: ReturnType<typeof fromText>): FieldValue | undefined =>
  'value' in read ? read.value : undefined;

/**
 * The row with its members' own names, and the keys that its relations' handles stand for; or the first sample that it
 * refers to and that has no key yet.
 */
function withKeys(
  row: SampleRow,
  handles: ReadonlySet<string>,
  keys: ReadonlyMap<string, FieldValue>,
): { values: Values } | { awaits: string; member: string } {
  const values: Record<string, unknown> = {};
  for (const [member, value] of Object.entries(row.values)) {
    const field = memberField(row.model, member);
    if (field?.refersTo === undefined || typeof value !== 'string') {
      values[field?.member ?? member] = value;
      continue;
    }
    const name = `${field.refersTo}/${value}`;
    if (handles.has(name) && !keys.has(name)) return { awaits: name, member };
    const read = fromText(field, value);
    values[field.member] = handles.has(name) ? keys.get(name) : 'value' in read ? read.value : value;
  }
  return { values: values as Values };
}

/** A sample can't refer to one that is loaded after it; where that one was refused, its own problem has been told. */
function awaiting(row: SampleRow, awaits: string, member: string, refused: ReadonlySet<string>): Problem[] {
  if (refused.has(awaits)) return [];
  const message = `${nameOf(row)}: ${member} refers to ${awaits}, which is loaded after it`;
  const remedy = 'put it further up; records that refer to each other in a circle can not be loaded by this version';
  return [{ code: 'loaded-later', severity: 'error', message, remedy, place: row.at(member) }];
}

function problemOf(row: SampleRow, { pointer, rule, detail }: Failure): Problem {
  const member = pointer.slice(1);
  const given = Object.keys(row.values).find((name) => memberField(row.model, name)?.member === member) ?? member;
  return {
    code: rule,
    severity: 'error',
    message: `${nameOf(row)}: ${member === '' ? '' : `${given} `}${detail}`,
    remedy: 'mend the row; nothing was loaded',
    place: row.at(given),
  };
}

const digestOf = (values: Values): string => createHash('sha256').update(JSON.stringify(values)).digest('base64url');

interface Memory {
  readonly all: Statement;
  readonly forget: Statement;
  readonly keep: Statement;
}

function memoryStatements({ dialect: { name, placeholder } }: Store): Memory {
  const table = name(samplesTable.name);
  const columns = samplesTable.columns.map((column) => name(column.name)).join(', ');
  return {
    all: { sql: `SELECT ${columns} FROM ${table} ORDER BY ${name('name')}` },
    forget: { sql: `DELETE FROM ${table} WHERE ${name('name')} = ${placeholder(1)}` },
    keep: { sql: `INSERT INTO ${table} (${columns}) VALUES (${[1, 2, 3].map(placeholder).join(', ')})` },
  };
}

async function remember(
  transaction: Transaction,
  memory: Memory,
  name: string,
  key: string,
  digest: string,
): Promise<void> {
  await transaction.run(memory.forget, [name]);
  await transaction.run(memory.keep, [name, key, digest]);
}
