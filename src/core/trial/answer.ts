/** What came back over HTTP. */
export interface Answer {
  readonly status: number;
  readonly headers: Readonly<Record<string, string>>;
  /** The parsed body; undefined where there is none. */
  readonly body: unknown;
}

/** Something that came back other than expected, in words. */
export interface Fault {
  readonly what: string;
  readonly expected: string;
  readonly got: string;
}
