import { HttpProblem } from '../api/problems.ts';
import { CodeError } from '../change/code.ts';
import { nested } from '../change/unit-of-work.ts';
import type { UnitOfWork } from '../change/unit-of-work.ts';
import type { Writes } from '../change/writes.ts';
import { byPlace } from '../declaration/problem.ts';
import type { Problem } from '../declaration/problem.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import type { Store, Transaction } from '../store/contract.ts';
import { designTables } from '../tables/design.ts';
import { lettersTable, migrationsTable, ownTables, stateTable } from '../tables/own-tables.ts';
import { ROWS_AT_ONCE } from './loaded.ts';
import type { Loaded, LoadOptions } from './loaded.ts';
import { sampleMemory } from './memory.ts';
import { nameOf, orderRows } from './order.ts';
import type { SampleRow } from './read.ts';
import { rowLoader } from './row-loader.ts';
import type { SampleStream } from './stream.ts';

/** Rows that break rules: nothing was loaded. */
export class BadSamples extends Error {
  readonly problems: readonly Problem<string>[];
  constructor(problems: readonly Problem<string>[]) {
    super('samples break rules');
    this.problems = [...problems].sort(byPlace);
  }
}

/** Tables of the tool's own that hold something of records: not those of the database itself. */
const OF_RECORDS = ownTables.filter((table) => ![stateTable, migrationsTable, lettersTable].includes(table));

/** After this many bad rows a stream is not read further. */
const MOST_PROBLEMS = 20;

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
    const tables = [...designTables(graph), ...OF_RECORDS].map(({ name }) => name);
    await alteration.script(store.ddl.empty(tables));
    return load(alteration);
  });
}

/** An error of the project's code says which row it was about. */
async function naming(row: SampleRow, loading: Promise<void>): Promise<void> {
  try {
    await loading;
  } catch (error) {
    if (!(error instanceof CodeError)) throw error;
    const { file, line } = row.at();
    throw new CodeError(`${file}:${line}, ${nameOf(row)}`, error.message, error.cause);
  }
}

/** Rows of one model each, in order. */
function* chunksOf(rows: readonly SampleRow[]): Generator<SampleRow[]> {
  let chunk: SampleRow[] = [];
  for (const row of rows) {
    if (chunk.length === ROWS_AT_ONCE || (chunk.length > 0 && chunk[0]!.model !== row.model)) {
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
  /** Sets references that close a circle, and returns what was done. Throws `BadSamples`. */
  end(): Promise<Loaded>;
}

async function startLoading(
  graph: Graph,
  store: Store,
  work: UnitOfWork,
  rows: readonly SampleRow[],
  later: ReadonlyMap<SampleRow, ReadonlySet<string>>,
  writes: Writes,
  { streams = [], hashCost, onProgress }: LoadOptions,
): Promise<Loading> {
  const memory = await sampleMemory(store, work.transaction);
  const streamed = new Set(streams.map(({ model }) => model.name));
  const loader = rowLoader({ graph, store, writes, rows, later, memory, streamed, hashCost, onProgress });
  const { problems } = loader;
  let careful = false;

  /** Writes a row alone, so that others can be checked after a bad one. */
  async function loadAlone(row: SampleRow, isStreamed: boolean): Promise<void> {
    try {
      await nested(work, (inner) => naming(row, loader.load(row, isStreamed, inner)));
    } catch (error) {
      if (!(error instanceof HttpProblem)) throw error;
      loader.refuse(
        row,
        (error.options.errors ?? []).filter((one) => 'rule' in one),
      );
    }
  }

  async function load(chunk: readonly SampleRow[], isStreamed = false): Promise<void> {
    if (!careful) {
      try {
        const noted = problems.length;
        await nested(work, async (inner) => {
          for (const row of chunk) await naming(row, loader.load(row, isStreamed, inner));
        });
        careful = problems.length > noted;
        // What was written so far has its journal: a long file must not be held in memory by it.
        await writes.flush(work);
        return;
      } catch (error) {
        if (!(error instanceof HttpProblem)) throw error;
        // From here on nothing is committed, but every bad row is reported.
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
      for await (const { rows: chunk, problems: found, share } of read(ROWS_AT_ONCE)) {
        problems.push(...found);
        await load(chunk, true);
        done += chunk.length;
        onProgress?.(model.name, done, share);
        if (problems.length >= MOST_PROBLEMS) throw new BadSamples(problems);
      }
    },
    async end() {
      if (problems.length > 0) throw new BadSamples(problems);
      for (const [row, members] of later) await loader.setReferences(row, members, work);
      if (problems.length > 0) throw new BadSamples(problems);
      await writes.flush(work);
      const { names: gone, count: goneCount } = await memory.gone();
      return { models: loader.counts(), gone, goneCount, untold: writes.untold() };
    },
  };
}
