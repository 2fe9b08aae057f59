import { collectionPath } from '../api/endpoints.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import { encoded } from '../text/encoded.ts';
import type { Row } from './oracle/world-state.ts';

/** The text of the key of a record. */
export const keyText = (model: Model, row: Row): string => {
  const key = row[model.key.member];
  return typeof key === 'string' ? key : JSON.stringify(key);
};

/** The path of a model's records, or of one. */
export const pathOf = (graph: Graph, model: Model, row?: Row): string =>
  `${collectionPath(graph, model)}${row === undefined ? '' : `/${encoded(keyText(model, row))}`}`;

export const queryOf = (parameters: Readonly<Record<string, string>>): string =>
  `?${new URLSearchParams(parameters).toString()}`;

/** The keys of records, in one order. */
export const keysOf = (model: Model, rows: readonly Row[]): string[] => rows.map((row) => keyText(model, row)).sort();

/** What the path of an endpoint, with names in braces, stands for. */
export const matcherOf = (template: string): RegExp =>
  new RegExp(`^${template.replace(/[.*+?^$()|[\]\\]/g, '\\$&').replace(/\{[^}]+\}/g, '[^/]+')}$`);

/** Paths with fewer names first: what is declared wins over a key, as /huts/journal over /huts/{id}. */
export const byNames = (one: string, other: string): number => one.split('{').length - other.split('{').length;
