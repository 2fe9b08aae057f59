import { readFileSync } from 'node:fs';

const manifest = new URL('../../package.json', import.meta.url);

/** The version of this program. */
export const ownVersion = (): string => (JSON.parse(readFileSync(manifest, 'utf8')) as { version: string }).version;
