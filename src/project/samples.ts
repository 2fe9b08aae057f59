import { createReadStream, statSync } from 'node:fs';
import { join } from 'node:path';
import type { Source } from '../core/declaration/document.ts';
import type { Graph } from '../core/model/graph.ts';
import type { Sample } from '../core/document/documented.ts';
import { modelOfFile, readSamples } from '../core/samples/read.ts';
import { ndjsonStream } from '../core/samples/stream.ts';
import type { Line, SampleStream } from '../core/samples/stream.ts';
import type { SoundProject } from './project.ts';
import { sampleFiles, readSource } from './read.ts';

/** Bytes from which on a file of newline-delimited JSON is read as it is loaded. */
const LONG = 4_000_000;
const READ_AT_ONCE = 1_000_000;

/** The files of `samples/`, in the order of their names: texts, and those too long for that. */
export interface SampleFiles {
  readonly sources: readonly Source[];
  readonly streams: readonly SampleStream[];
}

export function readSampleFiles(folder: string, graph: Graph): SampleFiles {
  const files = sampleFiles(folder);
  const streams = new Map(
    files.flatMap((file): [string, SampleStream][] => {
      const path = join(folder, file);
      const model = modelOfFile(graph, file);
      const isLong = file.endsWith('.ndjson') && statSync(path).size > LONG;
      return isLong && model !== undefined ? [[file, ndjsonStream(model, file, () => linesOf(path))]] : [];
    }),
  );
  return {
    sources: files.filter((file) => !streams.has(file)).map((file) => readSource(folder, file)),
    streams: [...streams.values()],
  };
}

/** The first record of each model in `samples/`: what can't be read is nobody's example. */
export function firstSamples({ folder, graph }: SoundProject): ReadonlyMap<string, Sample> {
  const first = new Map<string, Sample>();
  for (const { model, values } of readSamples(graph, readSampleFiles(folder, graph).sources).rows) {
    if (!first.has(model.name)) first.set(model.name, values);
  }
  return first;
}

/** The lines of a file, one after the other. */
async function* linesOf(path: string): AsyncIterable<Line> {
  const { size } = statSync(path);
  let [read, rest] = [0, ''];
  const stream = createReadStream(path, { encoding: 'utf8', highWaterMark: READ_AT_ONCE });
  for await (const chunk of stream as AsyncIterable<string>) {
    read += Buffer.byteLength(chunk);
    const lines = (rest + chunk).split('\n');
    rest = lines.pop()!;
    for (const text of lines) yield { text, share: Math.min(1, read / size) };
  }
  if (rest !== '') yield { text: rest, share: 1 };
}
