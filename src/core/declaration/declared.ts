import type { Place, Problem } from './problem.ts';

/** A file's text as it was read, under the name that problems show. */
export interface Source {
  readonly file: string;
  readonly text: string;
  /** What is known of this very text, because it was read before and nothing was wrong with it. */
  readonly known?: KnownText | undefined;
  /** Told what was learned of a text in which nothing is wrong, as much as was not known. */
  learn?(text: KnownText): void;
}

export interface KnownText {
  /** The values of its documents. */
  readonly values: readonly unknown[];
  /** The places in it that were asked for: lines and columns of their beginning and end, by what was asked. */
  readonly places: Readonly<Record<string, Spot>>;
}

export type Spot = readonly [line: number, column: number, endLine: number, endColumn: number];

export type Path = readonly (string | number)[];

/** One YAML document: its plain value, and the place of each path in it. */
export interface Declared {
  readonly file: string;
  readonly value: unknown;
  /** The place of a value, or of the key that leads to it; the nearest enclosing place where the path ends early. */
  at(path: Path, part?: 'key' | 'value'): Place;
  /** The place of a part of the text at a path, between two of its characters. */
  within(path: Path, from: number, to: number): Place;
}

export interface ReadDocuments {
  readonly documents: Declared[];
  readonly problems: Problem[];
  /** The names of models in documents that could not be read. */
  readonly lost: readonly string[];
}
