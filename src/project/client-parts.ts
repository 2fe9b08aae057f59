import { readFileSync } from 'node:fs';
import type { ClientParts } from '../core/document/client.ts';

const read = (name: string): string => readFileSync(new URL(`../client/${name}.ts`, import.meta.url), 'utf8');

/** The parts of a client that are the same for every project, as they stand beside this program. */
export const clientParts = (): ClientParts => ({ runtime: read('runtime'), typing: read('typing') });
