import { JSON_HEADERS } from '../../api/message.ts';
import type { Runtime } from '../../change/runtime.ts';
import type { FieldValue } from '../../model/scalar.ts';
import type { Cursors } from '../../query/cursor.ts';
import type { ListStatement } from '../../query/list-statement.ts';
import type { Row } from '../../sql/statement.ts';
import type { RecordTags } from '../request/entity-tag.ts';
import type { ListRequest } from '../request/list-request.ts';
import type { Tagged } from './tagged.ts';

/** JSON text contains no raw line feed, so this only occurs between two records. */
export const BETWEEN = ',\n';

/**
 * The records at the ends of a page when it was last asked for, and their cursors. The first pages of lists are asked
 * for all day, and mostly end where they ended a moment ago: signing again would cost as much as fetching ten records.
 */
export interface PageEnds {
  first?: { readonly text: string; readonly cursor: string };
  last?: { readonly text: string; readonly cursor: string };
}

/** Changes the JSON texts of a page's records; `labels` says whether it is to add what they are called. */
export type FinishRecords = (records: string, labels: boolean) => Promise<string>;

/** The answer to a list: the records as the database wrote them, between a prefix and the page's links. */
export async function pageReply(
  path: string,
  { form, limit, binding, shared, labels }: ListRequest,
  statement: ListStatement,
  row: Row,
  cursors: Cursors,
  tags: RecordTags,
  ends: PageEnds,
  rest: Runtime['rest'],
  finish?: FinishRecords,
): Promise<Tagged> {
  const count = limit === 0 ? 0 : Number(row[1]);
  const surplus = count > limit;
  let records = limit === 0 ? '' : cutSurplus(row[0] as string | null, surplus);
  let positions = cutSurplus(row[2] as string | null, surplus);
  if (form.backward) [records, positions] = [reversed(records), reversed(positions)];

  const cursorAt = (end: 'first' | 'last'): string => {
    const text = pick(statement.shownPosition ? records : positions, end);
    const known = ends[end];
    if (known?.text === text) return known.cursor;
    const read = JSON.parse(text) as FieldValue[] | Record<string, FieldValue>;
    const position = Array.isArray(read) ? read : form.sort.map(({ field }) => read[field.member] ?? null);
    const cursor = cursors.write(binding, position);
    ends[end] = { text, cursor };
    return cursor;
  };
  const base = shared === '' ? path : `${path}?${shared}`;
  const onward = `${base}${shared === '' ? '?' : '&'}`;
  const more = form.backward ? form.from !== undefined : surplus;
  const less = form.backward ? surplus : form.from !== undefined || (form.offset ?? 0) > 0;
  const next = more && count > 0 ? `${onward}after=${cursorAt('last')}` : null;
  const prev = less && count > 0 ? `${onward}before=${cursorAt('first')}` : null;

  let link = `<${base}>; rel="first"`;
  if (prev !== null) link += `, <${prev}>; rel="prev"`;
  if (next !== null) link += `, <${next}>; rel="next"`;
  const total = form.total === true ? `,"total":${Number(row[4])}` : '';
  const page = `{"limit":${limit},"next":${JSON.stringify(next)},"prev":${JSON.stringify(prev)}${total}}`;
  const data = finish === undefined ? records : await finish(records, labels);
  const stored = form.etags === true ? cutSurplus(row[5] as string | null, surplus) : undefined;
  const etags =
    stored === undefined
      ? ''
      : `,"etags":${await etagsOf(records, form.backward ? reversed(stored) : stored, tags, rest)}`;
  return { status: 200, headers: { ...JSON_HEADERS, link }, body: `{"data":[${data}]${etags},"page":${page}}` };
}

/** The ETags of the records of a page, in their order. */
async function etagsOf(records: string, joined: string, tags: RecordTags, rest: Runtime['rest']): Promise<string> {
  if (records === '') return '[]';
  const stored = joined.split(BETWEEN);
  const all: string[] = [];
  for (const [at, shown] of records.split(BETWEEN).entries()) {
    await rest?.();
    all.push(tags.tagOf(shown, stored[at]));
  }
  return JSON.stringify(all);
}

const cutSurplus = (texts: string | null, surplus: boolean): string =>
  surplus && texts !== null ? texts.slice(0, texts.lastIndexOf(BETWEEN)) : (texts ?? '');

const reversed = (texts: string): string => texts.split(BETWEEN).reverse().join(BETWEEN);

function pick(texts: string, end: 'first' | 'last'): string {
  const cut = end === 'first' ? texts.indexOf(BETWEEN) : texts.lastIndexOf(BETWEEN);
  if (cut < 0) return texts;
  return end === 'first' ? texts.slice(0, cut) : texts.slice(cut + BETWEEN.length);
}
