import { LRUCache } from 'lru-cache';
import type { Failure } from '../api/failure.ts';
import type { UnitOfWork } from '../change/unit-of-work.ts';
import type { Writes } from '../change/writes.ts';
import type { Problem } from '../declaration/problem.ts';
import { makeCodes } from '../identity/codes.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import type { Scalar } from '../model/scalar.ts';
import { readStatement } from '../query/statements.ts';
import { bodyReader, ownBody } from '../rules/schema.ts';
import type { Values } from '../rules/schema.ts';
import type { Store } from '../store/contract.ts';
import { digestOf } from './digest.ts';
import { ROWS_AT_ONCE } from './loaded.ts';
import type { Loaded, LoadOptions } from './loaded.ts';
import { keyOf } from './memory.ts';
import type { SampleMemory } from './memory.ts';
import { nameOf } from './order.ts';
import type { SampleRow } from './read.ts';
import { givenName, missingSample, problemsOf, waitingOnly, withKeys } from './references.ts';

/** Writes sample rows one by one, and collects what is wrong with them. */
export interface RowLoader {
  readonly problems: RowLoaderProblem[];
  /** Writes a row. Throws the problem that a request with these values would get. */
  load(row: SampleRow, isStreamed: boolean, work: UnitOfWork): Promise<void>;
  /** Notes why a row was refused: rows that refer to it need no problem of their own. */
  refuse(row: SampleRow, failures: readonly Failure[]): void;
  /** Sets references that close a circle, once all rows are written. */
  setReferences(row: SampleRow, members: ReadonlySet<string>, work: UnitOfWork): Promise<void>;
  /** How many records of each model were made, changed or left as they were. */
  counts(): Loaded['models'];
}

type RowLoaderProblem = Problem<string> & { readonly row?: string };

interface RowLoaderOptions {
  readonly graph: Graph;
  readonly store: Store;
  readonly writes: Writes;
  readonly rows: readonly SampleRow[];
  /** References that are set once all rows are written. */
  readonly later: ReadonlyMap<SampleRow, ReadonlySet<string>>;
  readonly memory: SampleMemory;
  /** The models whose rows come from streams, and whose keys are not kept at hand. */
  readonly streamed: ReadonlySet<string>;
  readonly hashCost: LoadOptions['hashCost'];
  readonly onProgress: LoadOptions['onProgress'];
}

/** Counts what becomes of the rows of each model. */
function makeCounts(onProgress: LoadOptions['onProgress']) {
  const all = new Map<Model, { made: number; changed: number; unchanged: number }>();
  return {
    count(model: Model, what: 'made' | 'changed' | 'unchanged', isStreamed: boolean): void {
      const found = all.get(model) ?? { made: 0, changed: 0, unchanged: 0 };
      all.set(model, found);
      found[what] += 1;
      const sum = found.made + found.changed + found.unchanged;
      if (!isStreamed && sum % ROWS_AT_ONCE === 0) onProgress?.(model.name, sum);
    },
    counts: (): Loaded['models'] => [...all].map(([model, sums]) => ({ model: model.name, ...sums })),
  };
}

/** The addresses of samples count as proved: whoever wrote them down made them up. */
function addressProver({ identity }: Graph, { dialect }: Store) {
  const codes = makeCodes(dialect);
  const address = identity?.codes?.verify === undefined ? undefined : identity.codes.to.member;
  return async ({ transaction }: UnitOfWork, { name }: Model, key: Scalar, values: Values): Promise<void> => {
    const known = address === undefined || name !== identity!.model ? null : values[address];
    if (typeof known === 'string') await codes.verify(transaction, key, known);
  };
}

export function rowLoader(options: RowLoaderOptions): RowLoader {
  const { graph, store, writes, rows, later, memory, streamed, hashCost, onProgress } = options;
  const tools = toolsOf(graph, store, writes);
  const handles = new Set(rows.map(nameOf));
  const keys = new Map<string, Scalar>();
  const { count, counts } = makeCounts(onProgress);
  const problems: RowLoaderProblem[] = [];
  const refused = new Set<string>();
  const prove = addressProver(graph, store);
  const keyOfSample = keyFinder(graph, memory, keys, streamed);

  /** The values of a row with keys in the places of samples; undefined where it is refused. */
  async function readRow(row: SampleRow): Promise<{ given: Values; values: Values } | undefined> {
    const { values: given, missing } = await withKeys(row, keyOfSample, handles, later.get(row));
    const { values, failures } = tools.get(row.model)!.reader(given);
    const broken = [
      ...missing.filter(({ sample }) => !refused.has(sample)).map((one) => missingSample(row, one, handles)),
      ...problemsOf(row, failures, missing),
    ];
    if (broken.length + missing.length === 0) return { given, values };
    problems.push(...broken);
    refused.add(nameOf(row));
    return undefined;
  }

  return {
    problems,

    async load(row, isStreamed, work) {
      const { model } = row;
      const { changes, there } = tools.get(model)!;
      const name = nameOf(row);
      const read = await readRow(row);
      if (read === undefined) return;
      const before = await memory.before(name);
      const digest = await digestOf(row, { ...read.given, ...waitingHandles(row, later.get(row)) }, hashCost);
      const oldKey = before === undefined ? undefined : keyOf(model, before.key);
      const exists =
        oldKey !== undefined &&
        (await work.transaction.first(there, [store.dialect.bind(model.key, oldKey)])) !== undefined;
      if (exists && before?.digest === digest) {
        await memory.see(name);
        count(model, 'unchanged', isStreamed);
        if (!isStreamed) keys.set(name, oldKey);
        return;
      }
      const values = await changes.hashSecrets(read.values);
      const key = exists ? oldKey : (await changes.create(work, values)).key;
      // Draws have changed stock since it was loaded: a changed row leaves it as it is.
      if (exists) await changes.change(work, 'replace', oldKey, ownBody(withoutStock(model, values)));
      if (!isStreamed) keys.set(name, key);
      count(model, exists ? 'changed' : 'made', isStreamed);
      await prove(work, model, key, values);
      await memory.keep(name, key, digest);
    },

    refuse(row, failures) {
      problems.push(...problemsOf(row, failures, []));
      refused.add(nameOf(row));
    },

    async setReferences(row, members, work) {
      const { values, missing } = await withKeys(waitingOnly(row, members), keyOfSample, handles);
      const unknown = missing.filter(({ sample }) => !refused.has(sample));
      problems.push(...unknown.map((one) => missingSample(row, one, handles)));
      if (missing.length > 0) return;
      // A reference that is set already is left alone.
      await tools.get(row.model)!.changes.change(work, 'update', keys.get(nameOf(row))!, ownBody(values));
    },

    counts,
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
const waitingHandles = (row: SampleRow, members: ReadonlySet<string> = new Set()): Values =>
  Object.fromEntries([...members].map((member) => [member, row.values[givenName(row, member)] as Scalar]));

/** Keys of streamed samples that other rows may soon refer to again. */
const KEYS_AT_HAND = 10_000;
