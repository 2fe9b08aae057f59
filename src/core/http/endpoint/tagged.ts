import { COMMON_HEADERS } from '../../api/message.ts';
import type { Reply, Request } from '../../api/message.ts';
import { isNamed } from '../request/entity-tag.ts';
import type { EntityTags } from '../request/entity-tag.ts';

/** A finished answer to a read, for whomever it is alike. */
export interface Tagged extends Reply {
  readonly body: string;
}

/** Characters that an answer holds. */
export const lengthOf = ({ body }: Tagged): number => body.length;

/** Characters of a page that has an ETag: to hash a hundred megabytes would hold up everybody else. */
const LONGEST_TAGGED = 2_000_000;

/** The page of a list with its ETag. */
export function withTag(page: Tagged, tags: EntityTags): Tagged {
  if (page.body.length > LONGEST_TAGGED) return page;
  return { ...page, headers: { ...page.headers, etag: `"${tags.mark(page.body)}"` } };
}

/** 304 where the client has it already (RFC 9110, 13.1.2). */
export function unlessKnown(asked: Request['headers'], answer: Tagged): Reply {
  const { etag } = answer.headers;
  const known = asked['if-none-match'];
  if (known === undefined || etag === undefined || !isNamed(known, etag)) return answer;
  return { status: 304, headers: { ...COMMON_HEADERS, etag } };
}
