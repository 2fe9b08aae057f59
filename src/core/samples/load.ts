import { createHash } from 'node:crypto';
import { makeChanges } from '../change/changes.ts';
import type { Changes, Moment } from '../change/changes.ts';
import { didYouMean } from '../declaration/nearest.ts';
import { byPlace } from '../declaration/problem.ts';
import type { Problem } from '../declaration/problem.ts';
import { hashSecret, SALT_LENGTH } from '../change/secret.ts';
import { HttpProblem } from '../http/problems.ts';
import type { Field, FieldValue, Scalar, Graph, Model } from '../model/graph.ts';
import { fromText } from '../model/value.ts';
import { readStatement } from '../query/statements.ts';
import { pointerTo } from '../rules/failure.ts';
import type { Failure } from '../rules/failure.ts';
import { bodyReader } from '../rules/schema.ts';
import type { BodyReader, ReadBody, Values } from '../rules/schema.ts';
import type { Statement, Store, Transaction } from '../store/contract.ts';
import { samplesTable } from '../tables/own-tables.ts';
import { memberField } from './read.ts';
import { nameOf, orderRows } from './order.ts';
import type { SampleRow } from './read.ts';

export interface Loaded {
  /** A line for each model that has samples, in the order of loading. */
  readonly models: readonly { model: string; made: number; changed: number; unchanged: number }[];
  /** Samples that were loaded once and are in the files no more: `hut/old-hut`. Their records are left alone. */
  readonly gone: readonly string[];
  /** The key of each sample's record, by `hut/grey-hut`. */
  readonly keys: ReadonlyMap<string, Scalar>;
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
  const { rows: ordered, later } = orderRows(graph, rows);

  return store.transaction(async (transaction) => {
    const remembered = new Map<string, Remembered>();
    for (const [name, key, digest] of await transaction.all(memory.all, [])) {
      remembered.set(String(name), { key: String(key), digest: String(digest) });
    }
    const keys = new Map<string, Scalar>();
    const counts = new Map<Model, { made: number; changed: number; unchanged: number }>();
    const problems: Problem[] = [];
    const refused = new Set<string>();

    for (const row of ordered) {
      const { model } = row;
      const { reader, changes, there } = tools.get(model)!;
      const count = counts.get(model) ?? { made: 0, changed: 0, unchanged: 0 };
      counts.set(model, count);

      const name = nameOf(row);
      const { values: given, missing } = withKeys(row, handles, keys, later.get(row));
      const { values, failures } = reader(given);
      const broken = [
        ...missing.filter(({ sample }) => !refused.has(sample)).map((one) => missingSample(row, one, handles)),
        ...failures
          .filter(({ pointer }) => !missing.some(({ member }) => pointer === pointerTo(member)))
          .map((failure) => problemOf(row, failure)),
      ];
      if (broken.length + missing.length > 0) {
        problems.push(...broken);
        refused.add(name);
        continue;
      }
      const before = remembered.get(name);
      const digest = await digestOf(row, { ...given, ...waitingHandles(row, later.get(row)) });
      const oldKey =
        before === undefined ? undefined : (valueOf(fromText(model.key, before.key)) as Scalar | undefined);
      const stands =
        oldKey !== undefined && (await transaction.first(there, [dialect.bind(model.key, oldKey)])) !== undefined;
      try {
        if (stands && before?.digest === digest) {
          count.unchanged += 1;
          keys.set(name, oldKey);
          continue;
        }
        const sealed = await changes.seal(values);
        const body: ReadBody = { values: sealed, repeated: new Map(), patches: new Map(), failures };
        const key = await transaction.nested(async () => {
          if (!stands) return (await changes.create(transaction, sealed)).key;
          await changes.change(transaction, 'replace', oldKey, body);
          return oldKey;
        });
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
    for (const [row, fields] of later) await closeCircle(transaction, tools.get(row.model)!.changes, row, fields, keys);

    return {
      models: [...counts].map(([model, count]) => ({ model: model.name, ...count })),
      gone: [...remembered.keys()].filter((name) => !handles.has(name)),
      keys,
    };
  });
}

/** What a row says of the references that wait: a change of it is a change of the row. */
const waitingHandles = (row: SampleRow, fields: ReadonlySet<Field> = new Set()): Values =>
  Object.fromEntries([...fields].map(({ member }) => [member, row.values[givenName(row, member)] as Scalar]));

/** Sets the references that had to wait until all records were there. One that is set already is left alone. */
async function closeCircle(
  transaction: Transaction,
  changes: Changes,
  row: SampleRow,
  fields: ReadonlySet<Field>,
  keys: ReadonlyMap<string, Scalar>,
): Promise<void> {
  const values: Values = {};
  for (const field of fields) {
    const handle = row.values[givenName(row, field.member)];
    values[field.member] = keys.get(`${field.refersTo}/${String(handle)}`) ?? null;
  }
  const body: ReadBody = { values, repeated: new Map(), patches: new Map(), failures: [] };
  await changes.change(transaction, 'update', keys.get(nameOf(row))!, body);
}

const valueOf = (read: ReturnType<typeof fromText>): FieldValue | undefined =>
  'value' in read ? read.value : undefined;

/** A sample that a row refers to and that has no record, or none yet. */
interface Missing {
  readonly sample: string;
  /** The member that the value is for. */
  readonly member: string;
  /** It stands in the files, but its record has not been made. */
  readonly known: boolean;
}

/** The row with its members' own names, and the keys that its relations' handles stand for. */
function withKeys(
  row: SampleRow,
  handles: ReadonlySet<string>,
  keys: ReadonlyMap<string, Scalar>,
  waiting?: ReadonlySet<Field>,
): { values: Values; missing: Missing[] } {
  const values: Record<string, unknown> = {};
  const missing: Missing[] = [];
  for (const [member, value] of Object.entries(row.values)) {
    const field = memberField(row.model, member);
    if (field !== undefined && waiting?.has(field) === true) continue;
    if (field?.refersTo === undefined || typeof value !== 'string') {
      values[field?.member ?? member] = value;
      continue;
    }
    const sample = `${field.refersTo}/${value}`;
    const read = fromText(field, value);
    const known = handles.has(sample);
    if (known ? !keys.has(sample) : 'fault' in read) missing.push({ sample, member: field.member, known });
    else values[field.member] = known ? keys.get(sample) : valueOf(read);
  }
  return { values: values as Values, missing };
}

function missingSample(row: SampleRow, { sample, member, known }: Missing, handles: ReadonlySet<string>): Problem {
  const place = row.at(givenName(row, member));
  if (known) {
    const message = `${nameOf(row)} and ${sample} need each other in a circle, so neither can be made first`;
    const remedy = 'let one of the relations of the circle be null: leave out its required';
    return { code: 'loaded-later', severity: 'error', message, remedy, place };
  }
  const alike = [...handles].filter((handle) => handle.startsWith(sample.slice(0, sample.indexOf('/') + 1)));
  const message = `${nameOf(row)}: there is no sample ${sample}, and it is no key`;
  return { code: 'unknown-record', severity: 'error', message, remedy: didYouMean(sample, alike), place };
}

/** The name under which a row gives a member: a relation goes by its own name too. */
const givenName = (row: SampleRow, member: string): string =>
  Object.keys(row.values).find((name) => memberField(row.model, name)?.member === member) ?? member;

function problemOf(row: SampleRow, { pointer, rule, detail }: Failure): Problem {
  const member = pointer.slice(1);
  const given = givenName(row, member);
  return {
    code: rule,
    severity: 'error',
    message: `${nameOf(row)}: ${member === '' ? '' : `${given} `}${detail}`,
    remedy: 'mend the row; nothing was loaded',
    place: row.at(given),
  };
}

/** By this a row is known to be unchanged. Where it holds a secret, the digest is as slow to guess from as the secret's own. */
function digestOf(row: SampleRow, values: Values): Promise<string> | string {
  const text = JSON.stringify(values);
  const digest = (of: string): Buffer => createHash('sha256').update(of).digest();
  const hasSecret = row.model.fields.some(({ type, member }) => type === 'secret' && Object.hasOwn(values, member));
  return hasSecret
    ? hashSecret(text, digest(nameOf(row)).subarray(0, SALT_LENGTH))
    : digest(text).toString('base64url');
}

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
