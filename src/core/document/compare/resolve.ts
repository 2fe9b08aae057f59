import { stepFrom } from '../../api/failure.ts';
import { isRecord } from '../../text/value.ts';

/** An object of a document, or a schema in it. */
export type Tree = Readonly<Record<string, unknown>>;

/** What an object is, or what it refers to inside its own document; nothing where that isn't there. */
export function resolved(document: Tree, given: unknown): Tree {
  let found = given;
  for (let hops = 0; hops < 20 && isRecord(found) && typeof found.$ref === 'string'; hops += 1) {
    const { $ref, ...beside } = found;
    const target = at(document, $ref);
    // Keywords beside a reference count too.
    found = isRecord(target) ? { ...target, ...beside } : beside;
  }
  return isRecord(found) ? found : {};
}

const at = (document: Tree, place: string): unknown =>
  place
    .replace(/^#\//, '')
    .split('/')
    .map((token) => stepFrom(decodeURIComponent(token)))
    .reduce<unknown>((inside, step) => (isRecord(inside) ? inside[step] : undefined), document);

export const listOf = (value: unknown): readonly unknown[] => (Array.isArray(value) ? (value as unknown[]) : []);

export const mapOf = (value: unknown): readonly (readonly [string, unknown])[] =>
  isRecord(value) ? Object.entries(value) : [];
