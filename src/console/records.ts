// How records are asked for, and what they are called.
import type { Model, ServiceShown, Value } from './wire.ts';

export type Row = Readonly<Record<string, unknown>>;

export const modelOf = (service: ServiceShown, name: string): Model =>
  service.models.find((model) => model.name === name)!;

/** The members that a label is made of, as `fields` takes them. */
export function labelFields(model: Model, before = ''): string[] {
  const named = model.label.flatMap((part) => (typeof part === 'string' || part.length === 0 ? [] : [part.join('.')]));
  return [model.key, ...named].map((name) => before + name);
}

/** What a person calls a record: its label, or its key where it has none, or not all of it is to be seen. */
export function labelOf(model: Model, row: Row): string {
  const texts = model.label.map((part) => {
    if (typeof part === 'string') return part;
    const value = part.reduce<unknown>((of, name) => (of as Row | null | undefined)?.[name], row);
    return part.length === 0 || value === undefined || value === null ? undefined : textOf(value);
  });
  if (texts.length > 0 && !texts.includes(undefined)) return texts.join('');
  return shortKey(row[model.key]);
}

/** Long keys by their last part, which tells them apart. */
export const shortKey = (key: unknown): string => {
  const text = textOf(key);
  return text.length > 20 ? `…${text.slice(-12)}` : text;
};

export function textOf(value: unknown): string {
  if (value === null || value === undefined) return '';
  return typeof value === 'string' ? value : JSON.stringify(value);
}

/** The members of a list: those that its view shows, without the records behind relations. */
export const columnsOf = (model: Model): Value[] => model.fields.filter(({ isHidden }) => isHidden !== true);

/** Those that are shown before anybody has chosen. */
export function usualColumns(model: Model): string[] {
  const all = columnsOf(model);
  const own = all.filter(
    ({ of, type }) => of !== 'stamp' && of !== 'key' && !['text', 'json', 'object'].includes(type),
  );
  const names = (own.length === 0 ? all : own).map(({ member }) => member);
  return names.slice(0, 8);
}

export interface ListOf {
  readonly columns: readonly string[];
  readonly filter: string;
  /** `-altitude_m`, or nothing for the model's own order. */
  readonly sort: string;
  readonly limit: number;
}

/** The path of a list, with the labels of the records that it refers to. */
export function listTarget(service: ServiceShown, model: Model, { columns, filter, sort, limit }: ListOf): string {
  const fields = new Set([model.key, ...columns]);
  for (const { member, relation, refersTo } of model.fields) {
    if (relation == null || refersTo === undefined || !columns.includes(member)) continue;
    for (const name of labelFields(modelOf(service, refersTo), `${relation}.`)) fields.add(name);
  }
  const query = new URLSearchParams({ limit: String(limit), fields: [...fields].join(',') });
  if (filter !== '') query.set('filter', filter);
  if (sort !== '') query.set('sort', sort);
  return `${model.path}?${readable(query)}`;
}

/** As people write it: what a query may have as it is stays so. */
export const readable = (query: URLSearchParams): string =>
  query.toString().replaceAll('%2C', ',').replaceAll('%3A', ':').replaceAll('%27', "'").replaceAll('%2F', '/');

export const recordPath = (model: Model, key: unknown): string =>
  `${model.path}/${encodeURIComponent(textOf(key)).replaceAll('%2C', ',')}`;

/** A model's first member that a person would look for by typing. */
export const searchedBy = (model: Model): string | undefined => {
  const named = model.label.find((part) => typeof part !== 'string' && part.length === 1);
  const isText = (value: Value): boolean => ['string', 'text', 'email'].includes(value.type) && value.isHidden !== true;
  const labelled = model.fields.find((value) => isText(value) && value.member === named?.[0]);
  return (labelled ?? model.fields.find(isText))?.member;
};

/** An expression that finds what begins or goes on with a text, in whatever letter case. */
export const searching = (member: string, text: string): string =>
  `CASEI(${member}) LIKE CASEI('%${text.replaceAll("'", "''").replaceAll(/[\\%_]/g, '\\$&')}%')`;
