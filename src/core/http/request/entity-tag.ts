import { createHmac, hash } from 'node:crypto';

/** The tags of one model's records: `"<state>-<answer>"`, because two clients may see different parts of one state. */
export interface RecordTags {
  /** `stored` is left out where it is what is shown. */
  tagOf(shown: string, stored: string | undefined): string;
  /** Whether the header If-Match names a tag of this state. */
  isState(header: string | string[], stored: string): boolean;
}

/** `isOpen`: everybody sees all that is stored. */
export function recordTags(tags: EntityTags, isOpen: boolean): RecordTags {
  const stateOf = isOpen ? tags.mark : tags.hiddenMark;
  return {
    tagOf(shown, stored) {
      const mark = tags.mark(shown);
      return `"${stored === undefined ? mark : stateOf(stored)}-${mark}"`;
    },
    isState(header, stored) {
      const named = tagsIn(header);
      return named.includes('*') || named.some((tag) => tag.startsWith(`"${stateOf(stored)}-`));
    },
  };
}

/** ETags of answers and of states of records (RFC 9110, 8.8.3). */
export interface EntityTags {
  /** The mark of an answer: the same for the same text. */
  mark(text: string): string;
  /** The same for a text that not everybody may see, with a key, so that nobody can guess the text. */
  hiddenMark(text: string): string;
}

/** 96 bits. */
const LENGTH = 24;

export function makeEntityTags(serviceKey: string): EntityTags {
  // As long as a block of BLAKE2, which is a good MAC with its key before the text (RFC 7693, 2.9), and takes a third
  // of the time of an HMAC.
  const key = createHmac('sha512', serviceKey).update('vantfell entity tags').digest('hex');
  return {
    // Half the time of SHA-256 on pages of lists.
    mark: (text) => hash('blake2b512', text).slice(0, LENGTH),
    hiddenMark: (text) => hash('blake2b512', key + text).slice(0, LENGTH),
  };
}

/** Content codings of answers (RFC 9110, 8.4.1). */
export type Coding = 'br' | 'gzip';

/** The tag of an answer that is sent compressed: its bytes are others. */
export const codedTag = (tag: string, coding: Coding): string => `${tag.slice(0, -1)}-${coding}"`;

/** The tag of an answer in whichever coding it is sent. */
export const plainTag = (tag: string): string => tag.replace(/-(?:br|gzip)"$/, '"');

/** Whether a header names the tag of a compressed form. */
export const namesCodedTag = (header: string | string[], tag: string, coding: Coding): boolean =>
  listed(header).includes(codedTag(tag, coding));

/** Whether the header If-None-Match names a tag, in whichever coding. Weak tags match strong ones. */
export const isNamed = (header: string | string[] | undefined, tag: string): boolean =>
  header !== undefined && tagsIn(header).some((one) => one === tag || one === '*');

const tagsIn = (header: string | string[]): string[] => listed(header).map(plainTag);

const listed = (header: string | string[]): string[] =>
  String(header)
    .split(',')
    .map((one) => one.trim().replace(/^W\//, ''));
