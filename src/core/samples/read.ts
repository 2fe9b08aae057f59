import { CsvError, parse as parseCsv } from 'csv-parse/sync';
import { readDocuments } from '../declaration/document.ts';
import type { Source } from '../declaration/declared.ts';
import type { ProblemCode } from '../declaration/problem-codes.ts';
import type { Place, Problem } from '../declaration/problem.ts';
import type { Field } from '../model/field.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import { linkedOf } from '../model/related.ts';
import { fromText } from '../model/value.ts';
import { didYouMean } from '../text/nearest.ts';
import { isRecord } from '../text/value.ts';

/** One record of a sample file, before its rules are checked. */
export interface SampleRow {
  readonly model: Model;
  /** `grey-hut`, or the row's number in its file. */
  readonly handle: string;
  readonly values: Readonly<Record<string, unknown>>;
  /** The place of a member, or of the row where it has no such member. */
  at(member?: string): Place;
}

/** A problem of one row. */
export interface RowProblem extends Problem<string> {
  /** `hut/grey-hut`. */
  readonly row: string;
}

const complaint = (code: ProblemCode, message: string, remedy: string, place: Place): Problem => ({
  code,
  severity: 'error',
  message,
  remedy,
  place,
});

/** Reads sample files: a file holds the records of the model that it is named after, in the singular or the plural. */
export function readSamples(graph: Graph, sources: readonly Source[]): { rows: SampleRow[]; problems: Problem[] } {
  const rows: SampleRow[] = [];
  const problems: Problem[] = [];
  for (const source of sources) {
    const [, name = '', extension = ''] = /([^/]+)\.([a-z]+)$/.exec(source.file) ?? [];
    const model = modelOfFile(graph, source.file);
    if (model === undefined) {
      const names = graph.models.map((candidate) => candidate.name);
      const message = `there is no model ${name}, which this file would hold records of`;
      problems.push(complaint('unknown-model', message, didYouMean(name, names), firstLine(source)));
    } else if (extension === 'csv') rows.push(...csvRows(model, source, problems));
    else if (extension === 'ndjson') rows.push(...ndjsonRows(model, source, problems));
    else rows.push(...yamlRows(model, source, problems));
  }
  refuseTwins(rows, problems);
  return { rows, problems };
}

/** A file holds the records of the model that it is named after, in the singular or the plural. */
export function modelOfFile(graph: Graph, file: string): Model | undefined {
  const name = /([^/]+)\.[a-z]+$/.exec(file)?.[1];
  return graph.models.find((candidate) => candidate.name === name || candidate.plural === name);
}

function yamlRows(model: Model, source: Source, problems: Problem[]): SampleRow[] {
  const read = readDocuments(source);
  problems.push(...read.problems);
  return read.documents.flatMap((document) => {
    const { value } = document;
    const items: [string | number, unknown][] = Array.isArray(value)
      ? value.map((item, index): [number, unknown] => [index, item])
      : isRecord(value)
        ? Object.entries(value)
        : [];
    if (items.length === 0) {
      const message = `samples are a list of records, or a map from handles to records`;
      problems.push(
        complaint('wrong-kind', message, 'write - and a record, or a handle and a record', document.at([])),
      );
    }
    return items.flatMap(([key, item]) => {
      const at = (member?: string): Place => document.at(member === undefined ? [key] : [key, member]);
      const handle = typeof key === 'string' ? key : String(key + 1);
      return rowOf(model, item, handle, at, problems);
    });
  });
}

const ndjsonRows = (model: Model, { file, text }: Source, problems: Problem[]): SampleRow[] =>
  text.split('\n').flatMap((line, index) => ndjsonRow(model, file, line, index + 1, problems));

/** The row of a line; none where that is empty, or wrong. */
export function ndjsonRow(model: Model, file: string, line: string, number: number, problems: Problem[]): SampleRow[] {
  if (line.trim() === '') return [];
  const at = (): Place => lineOf({ file }, number, line.length);
  try {
    return rowOf(model, JSON.parse(line), String(number), at, problems);
  } catch {
    problems.push(complaint('unreadable-json', 'this line is not JSON', 'mend the line', at()));
    return [];
  }
}

/** RFC 4180 with a header row; an empty cell is absent, `\N` is null, and text is read into its field's type. */
function csvRows(model: Model, source: Source, problems: Problem[]): SampleRow[] {
  let records: { record: Record<string, string>; info: { lines: number } }[];
  let twin: string | undefined;
  try {
    const columns = (header: string[]): string[] => {
      twin = header.find((name, at) => header.indexOf(name) !== at);
      return header;
    };
    records = parseCsv(source.text, { columns, info: true, bom: true, skip_empty_lines: true });
  } catch (error) {
    if (!(error instanceof CsvError)) throw error;
    const line = typeof error.lines === 'number' ? error.lines : 1;
    problems.push(complaint('unreadable-csv', error.message, 'mend the line', lineOf(source, line, 1)));
    return [];
  }
  if (twin !== undefined) {
    const message = `the column ${twin} stands here twice`;
    problems.push(complaint('duplicate-key', message, 'rename one of them, or take it out', firstLine(source)));
    return [];
  }
  return records.flatMap(({ record, info }, index) => {
    const at = (): Place => lineOf(source, info.lines, 1);
    const cells = Object.entries(record).filter(([, cell]) => cell !== '');
    const values = cells.map(([member, cell]): [string, unknown] => {
      if (cell === '\\N') return [member, null];
      const field = memberField(model, member);
      if (memberLinks(model, member) !== undefined) return [member, cell.split(/\s+/)];
      // A relation's cell may be a handle, so it stays as it is until handles are known.
      if (field === undefined || field.origin === 'relation') return [member, cell];
      const read = fromText(field, cell);
      return [member, 'value' in read ? read.value : cell];
    });
    return rowOf(model, Object.fromEntries(values), String(index + 1), at, problems);
  });
}

function rowOf(
  model: Model,
  item: unknown,
  standing: string,
  at: (member?: string) => Place,
  problems: Problem[],
): SampleRow[] {
  if (!isRecord(item)) {
    problems.push(complaint('wrong-kind', 'a sample is a map from members to values', 'write a map', at()));
    return [];
  }
  const { $: named, ...values } = item;
  if (named !== undefined && typeof named !== 'string') {
    problems.push(complaint('wrong-kind', 'a handle is text', 'put it in quotes', at('$')));
  }
  return [{ model, handle: typeof named === 'string' ? named : standing, values, at }];
}

/** The field that a sample's member means: a relation goes by its own name too. */
export function memberField(model: Model, member: string): Field | undefined {
  return model.byMember.get(member) ?? model.relations.find((relation) => relation.name === member)?.field;
}

/** The many-to-many relation that a sample's member means, by its own name or that of its keys. */
export const memberLinks = (model: Model, member: string): ReturnType<typeof linkedOf>[number] | undefined =>
  linkedOf(model).find((links) => links.name === member || links.member === member);

function refuseTwins(rows: readonly SampleRow[], problems: Problem[]): void {
  const seen = new Set<string>();
  for (const row of rows) {
    const name = `${row.model.name}/${row.handle}`;
    if (seen.has(name)) {
      problems.push(complaint('duplicate-handle', `there are two samples ${name}`, 'rename one of them', row.at()));
    }
    seen.add(name);
  }
}

const firstLine = (source: Source): Place => lineOf(source, 1, 1);

const lineOf = ({ file }: Pick<Source, 'file'>, line: number, length: number): Place => ({
  file,
  line,
  column: 1,
  endLine: line,
  endColumn: Math.max(2, length + 1),
});
