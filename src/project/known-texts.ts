import { createHash } from 'node:crypto';
import { readFileSync, renameSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { KnownText, Source } from '../core/declaration/declared.ts';
import { knownPatterns, learnPatterns } from '../core/resolve/pattern.ts';
import type { KnownPatterns, PatternFault } from '../core/resolve/pattern.ts';
import { isRecord } from '../core/text/value.ts';
import { OWN_FOLDER, ownFolder } from './own-folder.ts';

/**
 * What is known of texts and patterns that were read before: reading them again would be most of the work of a command.
 */
export interface KnownTexts {
  /** The source with what is known of its text. */
  with(source: Source): Source;
  /** Keeps what was learned for the next command. A folder that can't be written to keeps nothing. */
  keep(): void;
}

const FILE = 'read.json';
/** Another form of the file, or another reading of the texts, has another number. */
const FORM = 2;

export function knownTexts(folder: string): KnownTexts {
  const { texts: before, patterns } = readKept(join(folder, OWN_FOLDER, FILE));
  learnPatterns(patterns);
  // What is not asked for is not kept any longer.
  const after = new Map<string, KnownText>();
  let learned = false;
  return {
    with(source) {
      const name = createHash('sha256').update(source.text).digest('base64url');
      const known = before.get(name);
      if (known !== undefined) after.set(name, known);
      const learn = (text: KnownText): void => {
        if (!after.has(name) && !isJson(text.values)) return;
        after.set(name, text);
        learned = true;
      };
      return { ...source, known, learn };
    },

    keep() {
      const met = knownPatterns();
      if (!learned && Object.keys(met).every((pattern) => Object.hasOwn(patterns, pattern))) return;
      try {
        const file = join(ownFolder(folder), FILE);
        const fresh = `${file}.${process.pid}`;
        writeFileSync(fresh, JSON.stringify({ form: FORM, texts: Object.fromEntries(after), patterns: met }), {
          mode: 0o600,
        });
        renameSync(fresh, file);
      } catch {
        // The next command reads everything again, as this one did.
      }
    },
  };
}

interface Kept {
  readonly texts: ReadonlyMap<string, KnownText>;
  readonly patterns: KnownPatterns;
}

/** What was kept; nothing where it can't be read, whyever. */
function readKept(file: string): Kept {
  const nothing: Kept = { texts: new Map(), patterns: {} };
  try {
    const kept: unknown = JSON.parse(readFileSync(file, 'utf8'));
    if (!isRecord(kept) || kept.form !== FORM || !isRecord(kept.texts) || !isRecord(kept.patterns)) return nothing;
    const texts = Object.entries(kept.texts).filter((entry): entry is [string, KnownText] => isKnownText(entry[1]));
    const patterns = Object.entries(kept.patterns).filter((entry): entry is [string, PatternFault | null] =>
      isKnownFault(entry[1]),
    );
    return { texts: new Map(texts), patterns: Object.fromEntries(patterns) };
  } catch {
    return nothing;
  }
}

const isKnownFault = (value: unknown): boolean =>
  value === null ||
  (isRecord(value) &&
    (value.code === 'bad-pattern' || value.code === 'slow-pattern') &&
    (value.severity === 'error' || value.severity === 'warning') &&
    typeof value.message === 'string' &&
    typeof value.remedy === 'string');

const isKnownText = (value: unknown): value is KnownText =>
  isRecord(value) && Array.isArray(value.values) && isRecord(value.places) && Object.values(value.places).every(isSpot);

const isSpot = (value: unknown): boolean =>
  Array.isArray(value) && value.length === 4 && value.every((one) => Number.isInteger(one));

/** Whether a value comes back from JSON as it is: YAML has numbers that do not. */
function isJson(value: unknown): boolean {
  if (typeof value === 'number') return Number.isFinite(value) && !Object.is(value, -0);
  if (Array.isArray(value)) return value.every(isJson);
  if (isRecord(value)) return Object.values(value).every(isJson);
  return value === null || typeof value === 'string' || typeof value === 'boolean';
}
