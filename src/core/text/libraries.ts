import { createRequire } from 'node:module';
import type * as PatternAnalysis from 'scslre';
import type * as Yaml from 'yaml';

/*
 * Libraries that most commands do without, loaded when one is first asked for. `scripts/build.mjs` puts each into a
 * file of its own.
 */
const load = createRequire(import.meta.url);

/** Reads and writes YAML. */
export const yaml = (): typeof Yaml => load('yaml') as typeof Yaml;

/** Finds regular expressions that are slow. It is as large as a third of the program. */
export const patternAnalysis = (): typeof PatternAnalysis => load('scslre') as typeof PatternAnalysis;
