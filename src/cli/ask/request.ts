import { readFileSync } from 'node:fs';
import { STATUS_CODES } from 'node:http';
import { allEndpoints } from '../../core/api/endpoints.ts';
import type { Graph } from '../../core/model/graph.ts';
import type { Model } from '../../core/model/model.ts';
import { columnValue } from '../../core/sql/stored.ts';
import type { Store } from '../../core/store/contract.ts';
import { encoded } from '../../core/text/encoded.ts';
import { didYouMean } from '../../core/text/nearest.ts';
import { EXIT, Failure } from '../../project/failure.ts';
import { handlesIn, keyOfSample } from '../../project/handles.ts';
import { MAILBOX, newestCode } from '../../project/mailbox.ts';

const METHODS = ['GET', 'HEAD', 'POST', 'PUT', 'PATCH', 'DELETE', 'OPTIONS'];

export function readMethod(text: string): string {
  const method = text.toUpperCase();
  if (METHODS.includes(method)) return method;
  throw new Failure(EXIT.wrongCommand, `there is no method ${text}`, didYouMean(method, METHODS));
}

export function readPath(text: string): string {
  if (text.startsWith('/')) return text;
  throw new Failure(
    EXIT.wrongCommand,
    `a path begins with a slash: ${text}`,
    `write it as /${text.replace(/^[a-z]+:\/\/[^/]+\/?/, '')}`,
  );
}

/** The text of a body: as it was given, or what comes on standard input for `-`. */
export const readBody = (text: string | undefined): string | undefined =>
  text === '-' ? readFileSync(0, 'utf8') : text;

/** `-H 'If-Match: "…"'`, in lower case. */
export function readHeaders(lines: readonly string[]): Record<string, string> {
  return Object.fromEntries(
    lines.map((line) => {
      const [, name, value] = /^([!#$%&'*+.^_`|~0-9A-Za-z-]+):\s*(.*)$/.exec(line) ?? [];
      if (name !== undefined) return [name.toLowerCase(), value!.trim()];
      throw new Failure(EXIT.wrongCommand, `${line} is no header`, "write it as -H 'Name: value'");
    }),
  );
}

/** `201 Created` */
export const statusText = (status: number): string => `${status} ${STATUS_CODES[status] ?? ''}`.trim();

/** A path with the keys of records in the places of `{hut/grey-hut}`, which names a sample. */
export async function withKeys(graph: Graph, store: Store, path: string): Promise<string> {
  let filled = path;
  for (const [place, name] of path.matchAll(/\{([a-z][a-z0-9-]*\/[^}]+)\}/g)) {
    filled = filled.replace(place, encoded(await keyOf(graph, store, name!)));
  }
  return filled;
}

/** A body with the same in the places of texts like `"{hut/grey-hut}"`, where there is such a model. */
export async function withKeysInside(graph: Graph, store: Store, body: string): Promise<string> {
  let filled = body;
  for (const [place, model, handle] of body.matchAll(/"\{([a-z][a-z0-9-]*)\/([^}"\\]+)\}"/g)) {
    const known = graph.byName.get(model!);
    if (known === undefined) continue;
    const key = await keyOf(graph, store, `${model}/${handle}`);
    filled = filled.replace(place, known.key.type === 'integer' ? key : JSON.stringify(key));
  }
  return filled;
}

/** A body with the code of the newest message to an address in the place of `"{code/ines@huts.example}"`. */
export function withCodes(folder: string, body: string): string {
  return body.replaceAll(/"\{code\/([^}"\\]+@[^}"\\]+)\}"/g, (_place, address: string) => {
    const code = newestCode(folder, address);
    if (code !== undefined) return JSON.stringify(code);
    const remedy = 'ask for one first, as with POST /reset; what a project sends by its own code is not there';
    throw new Failure(EXIT.foundWrong, `no message to ${address} is in ${MAILBOX}`, remedy);
  });
}

async function keyOf(graph: Graph, store: Store, sample: string): Promise<string> {
  const key = await keyOfSample(graph, store, sample);
  if (key !== undefined) return key;
  const known = await handlesIn(graph, store);
  const remedy = known.size === 0 ? 'load samples with vantfell seed' : didYouMean(sample, known.keys());
  throw new Failure(EXIT.foundWrong, `there is no sample ${sample}`, remedy);
}

/** A path as the outline shows it, `/v1/huts/{id}`, with the key of some record in its place. */
export async function withAnyKey(graph: Graph, store: Store, path: string): Promise<string> {
  const place = /\{[^}/]+\}/.exec(path);
  if (place === null) return path;
  const bare = path.split('?')[0]!;
  const endpoint = allEndpoints(graph).find((one) => one.path === bare);
  if (endpoint === undefined) {
    const known = [...new Set(allEndpoints(graph).map((one) => one.path))];
    throw new Failure(EXIT.wrongCommand, `there is no path ${bare}`, didYouMean(bare, known));
  }
  const model: Model = endpoint.under ?? endpoint.model;
  const { dialect } = store;
  const row = await store.first(
    { sql: `SELECT ${columnValue(dialect, model.key)} FROM ${dialect.name(model.table)} LIMIT 1` },
    [],
  );
  if (row === undefined)
    throw new Failure(
      EXIT.foundWrong,
      `there is no ${model.name} to take the place of ${place[0]}`,
      'load samples with vantfell seed, or write a key',
    );
  return path.replace(place[0], encoded(String(row[0])));
}
