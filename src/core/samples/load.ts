import { LRUCache } from 'lru-cache';
import { HttpProblem } from '../api/problems.ts';
import { nested } from '../change/unit-of-work.ts';
import type { UnitOfWork } from '../change/unit-of-work.ts';
import type { Writes } from '../change/writes.ts';
import { byPlace } from '../declaration/problem.ts';
import type { Problem } from '../declaration/problem.ts';
import type { Field } from '../model/field.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import type { Scalar } from '../model/scalar.ts';
import { readStatement } from '../query/statements.ts';
import { bodyReader, ownBody } from '../rules/schema.ts';
import type { Values } from '../rules/schema.ts';
import type { Store, Transaction } from '../store/contract.ts';
import { designTables } from '../tables/design.ts';
import { credentialsTable, journalTable, requestsTable, samplesTable } from '../tables/own-tables.ts';
import { digestOf } from './digest.ts';
import { keyOf, sampleMemory } from './memory.ts';
import type { SampleMemory } from './memory.ts';
import { nameOf, orderRows } from './order.ts';
import type { SampleRow } from './read.ts';
import { givenName, missingSample, problemsOf, withKeys } from './references.ts';
import type { SampleStream } from './stream.ts';

export interface Loaded {
  /** A line for each model that has samples, in the order of loading. */
  readonly models: readonly LoadedModel[];
  /**
   * Samples that were loaded once and are in the files no more: `hut/old-hut`, a thousand at most. Their records are
   * left alone.
   */
  readonly gone: readonly string[];
  readonly goneCount: number;
  /** How many `afterCommit` hooks of each model were left out. */
  readonly untold: ReadonlyMap<string, number>;
}

export interface LoadedModel {
  readonly model: string;
  readonly made: number;
  readonly changed: number;
  readonly unchanged: number;
}

export interface LoadOptions {
  /** Files too long to be held in memory; their rows come in the file's order. */
  readonly streams?: readonly SampleStream[];
  /** Every record goes first, in the same transaction. */
  readonly emptyFirst?: boolean;
  /** Told now and then how many rows of a model were loaded, and the share of its file that was read. */
  readonly onProgress?: (model: string, rows: number, share?: number) => void;
}

/** Rows that break rules: nothing was loaded. */
export class BadSamples extends Error {
  readonly problems: readonly Problem[];
  constructor(problems: readonly Problem[]) {
    super('samples break rules');
    this.problems = [...problems].sort(byPlace);
  }
}

/** Rows that are written together: a bad one among them is found by writing them again, one by one. */
const CHUNK = 200;
/** After so many bad rows a stream is not read on. */
const MOST_PROBLEMS = 20;
/** Keys of streamed samples that other rows may soon refer to again. */
const KEYS_AT_HAND = 10_000;

/**
 * Loads samples in one transaction, in the order that relations need, through the rules of requests but with the
 * service's own authority. What is unchanged since the last time is left alone. Throws `BadSamples`.
 */
export async function loadSamples(
  graph: Graph,
  store: Store,
  rows: readonly SampleRow[],
  writes: Writes,
  options: LoadOptions = {},
): Promise<Loaded> {
  const { streams = [], emptyFirst = false } = options;
  const { rows: ordered, later } = orderRows(graph, rows);
  const load = async (transaction: Transaction): Promise<Loaded> => {
    const work = writes.begin(transaction);
    const loading = await startLoading(graph, store, work, rows, later, writes, options);
    const position = new Map(graph.models.map((model, at) => [model, at]));
    const waiting = [...streams].sort((one, other) => position.get(one.model)! - position.get(other.model)!);
    // A stream comes when its model does: after all that it may refer to.
    const streamsBefore = async (model: Model | undefined): Promise<void> => {
      const end = model === undefined ? Infinity : position.get(model)!;
      for (let next = waiting[0]; next !== undefined && position.get(next.model)! < end; next = waiting[0]) {
        waiting.shift();
        await loading.stream(next);
      }
    };
    for (const chunk of chunksOf(ordered)) {
      await streamsBefore(chunk[0]!.model);
      await loading.load(chunk);
    }
    await streamsBefore(undefined);
    return loading.end();
  };
  if (!emptyFirst) return store.transaction(load, { unlimited: true });
  return store.alter(async (alteration) => {
    const tables = [...designTables(graph), samplesTable, journalTable, requestsTable, credentialsTable].map(
      ({ name }) => name,
    );
    await alteration.script(store.ddl.empty(tables));
    return load(alteration);
  });
}

/** Rows of one model each, in order. */
function* chunksOf(rows: readonly SampleRow[]): Generator<SampleRow[]> {
  let chunk: SampleRow[] = [];
  for (const row of rows) {
    if (chunk.length === CHUNK || (chunk.length > 0 && chunk[0]!.model !== row.model)) {
      yield chunk;
      chunk = [];
    }
    chunk.push(row);
  }
  if (chunk.length > 0) yield chunk;
}

interface Loading {
  load(chunk: readonly SampleRow[]): Promise<void>;
  stream(stream: SampleStream): Promise<void>;
  /** Closes circles, and tells what was done. Throws `BadSamples`. */
  end(): Promise<Loaded>;
}

async function startLoading(
  graph: Graph,
  store: Store,
  work: UnitOfWork,
  rows: readonly SampleRow[],
  later: ReadonlyMap<SampleRow, ReadonlySet<Field>>,
  writes: Writes,
  { streams = [], onProgress }: LoadOptions,
): Promise<Loading> {
  const { transaction } = work;
  const tools = toolsOf(graph, store, writes);
  const memory = await sampleMemory(store, transaction);
  const handles = new Set(rows.map(nameOf));
  const keys = new Map<string, Scalar>();
  const streamed = new Set(streams.map(({ model }) => model.name));
  const counts = new Map<Model, { made: number; changed: number; unchanged: number }>();
  const problems: (Problem & { readonly row?: string })[] = [];
  const refused = new Set<string>();
  let careful = false;

  const keyOfSample = keyFinder(graph, memory, keys, streamed);
  const count = (model: Model, what: 'made' | 'changed' | 'unchanged', isStreamed: boolean): void => {
    const found = counts.get(model) ?? { made: 0, changed: 0, unchanged: 0 };
    counts.set(model, found);
    found[what] += 1;
    const sum = found.made + found.changed + found.unchanged;
    if (!isStreamed && sum % CHUNK === 0) onProgress?.(model.name, sum);
  };

  /** Writes a row; throws what requests would be told. */
  async function loadRow(row: SampleRow, isStreamed: boolean, inner: UnitOfWork): Promise<void> {
    const { model } = row;
    const { reader, changes, there } = tools.get(model)!;
    const name = nameOf(row);
    const { values: given, missing } = await withKeys(row, keyOfSample, handles, later.get(row));
    const { values, failures } = reader(given);
    const broken = [
      ...missing.filter(({ sample }) => !refused.has(sample)).map((one) => missingSample(row, one, handles)),
      ...problemsOf(row, failures, missing),
    ];
    if (broken.length + missing.length > 0) {
      problems.push(...broken);
      refused.add(name);
      return;
    }
    const before = await memory.before(name);
    const digest = await digestOf(row, { ...given, ...waitingHandles(row, later.get(row)) });
    const oldKey = before === undefined ? undefined : keyOf(model, before.key);
    const stands =
      oldKey !== undefined && (await transaction.first(there, [store.dialect.bind(model.key, oldKey)])) !== undefined;
    if (stands && before?.digest === digest) {
      await memory.see(name);
      count(model, 'unchanged', isStreamed);
      if (!isStreamed) keys.set(name, oldKey);
      return;
    }
    const sealed = await changes.hashSecrets(values);
    const key = stands ? oldKey : (await changes.create(inner, sealed)).key;
    // What others draw on has moved on since it was loaded: a changed row leaves it as it stands.
    if (stands) await changes.change(inner, 'replace', oldKey, ownBody(withoutStock(model, sealed)));
    if (!isStreamed) keys.set(name, key);
    count(model, stands ? 'changed' : 'made', isStreamed);
    await memory.keep(name, key, digest);
  }

  /** Writes a row by itself, so that others can be looked at after a bad one. */
  async function loadAlone(row: SampleRow, isStreamed: boolean): Promise<void> {
    try {
      await nested(work, (inner) => loadRow(row, isStreamed, inner));
    } catch (error) {
      if (!(error instanceof HttpProblem)) throw error;
      const told = (error.options.errors ?? []).filter((one) => 'rule' in one);
      problems.push(...problemsOf(row, told, []));
      refused.add(nameOf(row));
    }
  }

  async function load(chunk: readonly SampleRow[], isStreamed = false): Promise<void> {
    if (!careful) {
      try {
        const noted = problems.length;
        await nested(work, async (inner) => {
          for (const row of chunk) await loadRow(row, isStreamed, inner);
        });
        careful = problems.length > noted;
        // What was written so far has its journal: a long file must not be held in memory by it.
        await writes.flush(work);
        return;
      } catch (error) {
        if (!(error instanceof HttpProblem)) throw error;
        // From here on nothing will be kept, but every bad row is told.
        careful = true;
        const names = new Set(chunk.map(nameOf));
        problems.splice(0, problems.length, ...problems.filter(({ row }) => row === undefined || !names.has(row)));
      }
    }
    for (const row of chunk) await loadAlone(row, isStreamed);
  }

  return {
    load,
    async stream({ model, rows: read }) {
      let done = 0;
      for await (const { rows: chunk, problems: found, share } of read(CHUNK)) {
        problems.push(...found);
        await load(chunk, true);
        done += chunk.length;
        onProgress?.(model.name, done, share);
        if (problems.length >= MOST_PROBLEMS) throw new BadSamples(problems);
      }
    },
    async end() {
      if (problems.length > 0) throw new BadSamples(problems);
      for (const [row, fields] of later) {
        const values: Values = {};
        for (const field of fields) {
          const handle = row.values[givenName(row, field.member)];
          values[field.member] = keys.get(`${field.refersTo}/${String(handle)}`) ?? null;
        }
        // A reference that is set already is left alone.
        await tools.get(row.model)!.changes.change(work, 'update', keys.get(nameOf(row))!, ownBody(values));
      }
      await writes.flush(work);
      const { names: gone, count: goneCount } = await memory.gone();
      return {
        models: [...counts].map(([model, sums]) => ({ model: model.name, ...sums })),
        gone,
        goneCount,
        untold: writes.untold(),
      };
    },
  };
}

const withoutStock = (model: Model, values: Values): Values =>
  Object.fromEntries(Object.entries(values).filter(([member]) => model.byMember.get(member)?.drawnOn !== true));

const toolsOf = (graph: Graph, { dialect }: Store, writes: Writes) =>
  new Map(
    graph.models.map((model) => [
      model,
      {
        reader: bodyReader(model, 'load'),
        changes: writes.changesOf(model),
        there: readStatement(model, [model.key], dialect),
      },
    ]),
  );

/** Finds the key of a sample: among those at hand, or in the database where its file is a stream. */
function keyFinder(
  graph: Graph,
  memory: SampleMemory,
  keys: ReadonlyMap<string, Scalar>,
  streamed: ReadonlySet<string>,
): (sample: string) => Promise<Scalar | undefined> {
  const atHand = new LRUCache<string, NonNullable<Scalar>>({ max: KEYS_AT_HAND });
  return async (sample) => {
    const known = keys.get(sample) ?? atHand.get(sample);
    const model = sample.slice(0, sample.indexOf('/'));
    if (known !== undefined || !streamed.has(model)) return known;
    const found = await memory.find(sample);
    const key = found === undefined ? undefined : (keyOf(graph.byName.get(model)!, found.key) ?? undefined);
    if (key !== undefined) atHand.set(sample, key);
    return key;
  };
}

/** What a row says of the references that wait: a change of it is a change of the row. */
const waitingHandles = (row: SampleRow, fields: ReadonlySet<Field> = new Set()): Values =>
  Object.fromEntries([...fields].map(({ member }) => [member, row.values[givenName(row, member)] as Scalar]));
