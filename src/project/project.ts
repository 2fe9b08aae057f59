import { randomBytes } from 'node:crypto';
import { isAbsolute, join, resolve } from 'node:path';
import { setImmediate } from 'node:timers/promises';
import type { Runtime } from '../core/change/runtime.ts';
import { compile } from '../core/compile.ts';
import type { Source } from '../core/declaration/declared.ts';
import type { Problem } from '../core/declaration/problem.ts';
import type { Graph } from '../core/model/graph.ts';
import { codeFacts } from '../core/resolve/code.ts';
import { StoreError } from '../core/store/contract.ts';
import type { Catalogue } from '../core/tables/catalogue.ts';
import { makeThrowaway } from '../store/throwaway.ts';
import type { Throwaway } from '../store/throwaway.ts';
import { EXIT, Failure } from './failure.ts';
import { nextKey } from './keys.ts';
import { keptKey, ownFolder } from './own-folder.ts';
import { knownTexts } from './known-texts.ts';
import { readSources } from './read.ts';

/** A project's declarations, read and compiled. */
export interface Project {
  readonly folder: string;
  /** Undefined where there are errors among the problems. */
  readonly graph?: Graph;
  readonly problems: readonly Problem[];
  /** Every text that a problem's place may point into. */
  readonly sources: readonly Source[];
  /** The files that its hooks and operations are in. */
  readonly code: readonly Source[];
}

export type SoundProject = Project & { readonly graph: Graph };

/** `catalogue`: what a database that was there already says of itself, where the models are fitted to it. */
export function readProject(folder: string, withCode = true, catalogue?: Catalogue): Project {
  const texts = knownTexts(folder);
  const read = readSources(folder, withCode);
  const sources = { ...read, service: texts.with(read.service), models: read.models.map((one) => texts.with(one)) };
  const { service, models, code = [] } = sources;
  const compiled = compile({ ...sources, catalogue });
  texts.keep();
  return { folder, code, sources: [service, ...models, ...code], ...compiled };
}

/** The graph with what its code tells, which may have errors itself. */
export function withCodeFacts({ folder, graph }: SoundProject): Graph {
  const { code } = readSources(folder, true);
  return code === undefined ? graph : { ...graph, code: codeFacts(code) };
}

/** Nobody waits for longer than that for one who has much to do. */
const SLICE_MS = 10;
let rested = performance.now();

function rest(): Promise<void> | undefined {
  if (performance.now() - rested < SLICE_MS) return undefined;
  return setImmediate().then(() => void (rested = performance.now()));
}

/** The wall clock, and keys that sort by it. */
export const runtime: Runtime = { now: () => new Date(), uuid: nextKey, random: randomBytes, rest };

/**
 * The address of the project's store, its path made absolute; where none is declared, a file in the tool's own folder.
 */
export function storeAddress({ folder, graph }: Pick<SoundProject, 'folder' | 'graph'>): string {
  const declared = graph.service.store;
  if (declared !== undefined && !isFile(declared)) return declared;
  const path = declared?.slice('sqlite:'.length) ?? join(ownFolder(folder), 'data.db');
  return `sqlite:${isAbsolute(path) ? path : resolve(folder, path)}`;
}

export const isFile = (address: string): boolean => address.startsWith('sqlite:');

/** An empty database of the same kind as the project's own, for trials. */
export async function throwawayFor(project: SoundProject): Promise<Throwaway> {
  try {
    return await makeThrowaway(storeAddress(project));
  } catch (error) {
    if (!(error instanceof StoreError)) throw error;
    throw new Failure(EXIT.options, error.message, error.remedy);
  }
}

/** The keys that sign what clients hold, the present one first: those declared, or one that is kept in the project. */
export function serviceKeys({ folder, graph }: SoundProject): {
  keys: readonly string[];
  kept: boolean;
  made: boolean;
} {
  if (graph.service.keys.length > 0) return { keys: graph.service.keys, kept: false, made: false };
  const { key, made } = keptKey(folder);
  return { keys: [key], kept: true, made };
}
