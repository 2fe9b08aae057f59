import type { Documented } from './documented.ts';
import type { JsonSchema } from './json-schema.ts';

/** Headers of answers, each described once. */
const ABOUT = {
  'Consistency-Token': ['How far the database had come: a read that sends it back sees what was written.'],
  ETag: ['Tells this answer from others; its first part tells states of the record apart (RFC 9110).'],
  Link: ['The first, the next and the previous page (RFC 8288).'],
  Location: ['The path of the new record, where it is one.', 'uri-reference'],
  'Preference-Applied': ['What of Prefer was followed (RFC 7240).'],
  'Retry-After': ['The seconds after which it may go well (RFC 9110).'],
  'WWW-Authenticate': ['How to sign in (RFC 6750).'],
} as const;

/** Whether answers may come from copies of the database. */
export const hasCopies = ({ graph }: Documented): boolean => (graph.service.replicas?.addresses.length ?? 0) > 0;

/** The headers of an answer to a write. */
export const writtenHeaders = (doc: Documented, ...names: (keyof typeof ABOUT)[]): JsonSchema =>
  headersRef(doc, ...names, ...(hasCopies(doc) ? (['Consistency-Token'] as const) : []));

export const headersRef = ({ components }: Documented, ...names: (keyof typeof ABOUT)[]): JsonSchema =>
  Object.fromEntries(
    names.map((name) => [
      name,
      components.ref('headers', name, () => {
        const [description, format] = ABOUT[name];
        return { description, schema: { type: 'string', ...(format === undefined ? {} : { format }) } };
      }),
    ]),
  );
