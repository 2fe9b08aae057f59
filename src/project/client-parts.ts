import { readFileSync } from 'node:fs';

/** The files that every exported client is made of, in their order. */
const PARTS = ['options', 'problem', 'cql', 'query', 'send', 'collections', 'connect', 'typing'];

/** The parts of a client that are the same for every project, as they stand beside this program. */
export const clientParts = (): string[] =>
  PARTS.map((name) => readFileSync(new URL(`../client/${name}.ts`, import.meta.url), 'utf8'));

/** The declarations of what a project's code imports from this program. */
export const apiDeclarations = (): string => readFileSync(new URL('../api/index.d.ts', import.meta.url), 'utf8');
