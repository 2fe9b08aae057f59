import type { Statement } from '../core/sql/statement.ts';

// Names as the OpenTelemetry semantic conventions have them, for labels of metrics and for spans.

const METHODS: ReadonlySet<string> = new Set(['GET', 'HEAD', 'POST', 'PUT', 'PATCH', 'DELETE', 'OPTIONS']);

/** What the conventions call a value beyond those that are known. */
export const OTHER = '_OTHER';

/** A method; those that are clients' own words are all the same. */
export const methodName = (method: string): string => (METHODS.has(method) ? method : OTHER);

/** The first word of a statement: `SELECT`. */
export const operationName = ({ sql }: Statement): string => /^\s*(\w+)/.exec(sql)?.[1]?.toUpperCase() ?? OTHER;
