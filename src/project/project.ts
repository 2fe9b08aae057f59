import { randomBytes } from 'node:crypto';
import { mkdirSync } from 'node:fs';
import { dirname, isAbsolute, join, resolve } from 'node:path';
import { v7 } from 'uuid';
import { compile } from '../core/compile.ts';
import type { Problem } from '../core/declaration/problem.ts';
import type { Source } from '../core/declaration/document.ts';
import type { Waiting } from '../core/model/waiting.ts';
import type { Graph } from '../core/model/graph.ts';
import type { Moment } from '../core/change/changes.ts';
import type { Store } from '../core/store/contract.ts';
import { StoreError } from '../core/store/contract.ts';
import { designTables } from '../core/tables/design.ts';
import { openStore } from '../store/open.ts';
import { makeThrowaway } from '../store/throwaway.ts';
import type { Throwaway } from '../store/throwaway.ts';
import { EXIT, Failure } from './failure.ts';
import { keptKey, ownFolder } from './own-folder.ts';
import { readSources } from './read.ts';

/** A project's declarations, read and compiled. */
export interface Project {
  readonly folder: string;
  /** Undefined where there are errors among the problems. */
  readonly graph?: Graph;
  readonly problems: readonly Problem[];
  readonly waiting?: Waiting;
  /** Every text that a problem's place may point into. */
  readonly sources: readonly Source[];
}

export type SoundProject = Project & { readonly graph: Graph };

export function readProject(folder: string): Project {
  const sources = readSources(folder);
  return { folder, sources: [sources.service, ...sources.models], ...compile(sources) };
}

/** The wall clock, and keys that sort by it. */
export const moment: Moment = { now: () => new Date(), uuid: v7, random: randomBytes };

/** The address of the project's store, its path made absolute; where none is declared, a file in the tool's own folder. */
export function storeAddress({ folder, graph }: SoundProject): string {
  const declared = graph.service.store;
  if (declared !== undefined && !isFile(declared)) return declared;
  const path = declared?.slice('sqlite:'.length) ?? join(ownFolder(folder), 'data.db');
  return `sqlite:${isAbsolute(path) ? path : resolve(folder, path)}`;
}

const isFile = (address: string): boolean => address.startsWith('sqlite:');

/** Opens a store whose tables are what the models need, and tells in words what was done to them. */
export async function openModelStore(
  graph: Graph,
  address: string,
): Promise<{ store: Store; done: readonly string[] }> {
  let store: Store | undefined;
  try {
    if (isFile(address)) mkdirSync(dirname(address.slice('sqlite:'.length)), { recursive: true });
    store = await openStore(address);
    return { store, done: await store.follow(designTables(graph)) };
  } catch (error) {
    await store?.close();
    if (error instanceof StoreError && error.fault.kind !== 'defect') {
      throw new Failure(EXIT.surroundings, error.message, error.remedy);
    }
    if ((error as NodeJS.ErrnoException).code === undefined) throw error;
    const why = (error as Error).message;
    throw new Failure(
      EXIT.surroundings,
      `the database ${address} can not be used: ${why}`,
      'name another with store: in vantfell.yaml',
    );
  }
}

/** An empty database of the same kind as the project's own, for trials. */
export async function throwawayFor(project: SoundProject): Promise<Throwaway> {
  try {
    return await makeThrowaway(storeAddress(project));
  } catch (error) {
    if (!(error instanceof StoreError)) throw error;
    throw new Failure(EXIT.surroundings, error.message, error.remedy);
  }
}

/** The key that signs what clients hold: the declared one, or one that is kept in the project. */
export function serviceKey({ folder, graph }: SoundProject): { key: string; kept: boolean; made: boolean } {
  if (graph.service.key !== undefined) return { key: graph.service.key, kept: false, made: false };
  return { ...keptKey(folder), kept: true };
}
