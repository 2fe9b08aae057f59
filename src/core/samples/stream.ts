import type { Problem } from '../declaration/problem.ts';
import type { Model } from '../model/model.ts';
import { ndjsonRow } from './read.ts';
import type { SampleRow } from './read.ts';

/** A line of a file, without its line feed, and the share of the file that was read with it. */
export interface Line {
  readonly text: string;
  readonly share: number;
}

/** Some rows of a long file, one after the other. */
export interface RowChunk {
  readonly rows: readonly SampleRow[];
  readonly problems: readonly Problem[];
  readonly share: number;
}

/** A file of one model's records that is read as it is loaded. A row may refer to those before it. */
export interface SampleStream {
  readonly model: Model;
  /** So many rows at a time. */
  rows(chunk: number): AsyncIterable<RowChunk>;
}

/** Reads newline-delimited JSON, line by line. */
export const ndjsonStream = (model: Model, file: string, lines: () => AsyncIterable<Line>): SampleStream => ({
  model,
  async *rows(size) {
    let [rows, problems, number, read]: [SampleRow[], Problem[], number, number] = [[], [], 0, 0];
    for await (const { text, share } of lines()) {
      number += 1;
      read = share;
      rows.push(...ndjsonRow(model, file, text, number, problems));
      if (rows.length + problems.length < size) continue;
      yield { rows, problems, share };
      [rows, problems] = [[], []];
    }
    yield { rows, problems, share: read };
  },
});
