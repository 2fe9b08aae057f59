import { createReadStream, statSync } from 'node:fs';
import { join } from 'node:path';
import type { Source } from '../core/declaration/declared.ts';
import type { Graph } from '../core/model/graph.ts';
import type { Sample } from '../core/document/documented.ts';
import { modelOfFile, readSamples } from '../core/samples/read.ts';
import { ndjsonStream } from '../core/samples/stream.ts';
import type { Line, SampleStream } from '../core/samples/stream.ts';
import type { SoundProject } from './project.ts';
import { sampleFiles, readSource } from './read.ts';
import { notUtf8 } from './text.ts';

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
      return isLong && model !== undefined ? [[file, ndjsonStream(model, file, () => linesOf(path, file))]] : [];
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

const LINE_FEED = 0x0a;

/** The lines of a file, one after the other, without a byte order mark. Throws where one is not UTF-8. */
async function* linesOf(path: string, file: string): AsyncIterable<Line> {
  const { size } = statSync(path);
  const strict = new TextDecoder('utf-8', { fatal: true });
  let [read, number] = [0, 0];
  let rest: Buffer = Buffer.alloc(0);
  const decoded = (bytes: Uint8Array): string => {
    number += 1;
    try {
      return strict.decode(bytes);
    } catch {
      throw notUtf8(file, bytes, number);
    }
  };
  for await (const chunk of createReadStream(path, { highWaterMark: READ_AT_ONCE }) as AsyncIterable<Buffer>) {
    read += chunk.length;
    const bytes = rest.length === 0 ? chunk : Buffer.concat([rest, chunk]);
    let begin = 0;
    for (let end = bytes.indexOf(LINE_FEED); end >= 0; end = bytes.indexOf(LINE_FEED, begin)) {
      yield { text: decoded(bytes.subarray(begin, end)), share: Math.min(1, read / size) };
      begin = end + 1;
    }
    rest = bytes.subarray(begin);
  }
  if (rest.length > 0) yield { text: decoded(rest), share: 1 };
}
