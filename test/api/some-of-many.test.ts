// Conditions over each of many related records, asked by those who may read some of them.
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { openTestService } from '../kit/open-test-service.ts';
import type { TestService } from '../kit/open-test-service.ts';
import { kinds, serverDatabases } from '../kit/databases.ts';

const ARCHIVE = fileURLToPath(new URL('../fixtures/access/archive', import.meta.url));
const PEOPLE = ['nobody', 'kit', 'ada', 'bo', 'cy'];
const WORDS = new Map([
  ['kit', 'kit-knows-this-word'],
  ['ada', 'ada-knows-this-word'],
  ['bo', 'bo-knows-this-word-too'],
  ['cy', 'cy-knows-this-word-too'],
]);
type Row = Readonly<Record<string, unknown>>;

const database = serverDatabases();

describe.each(kinds)('filters over some of the related records, on %s', (kind) => {
  let on: TestService;
  const tokens = new Map<string, string>();
  beforeAll(async () => {
    on = await openTestService(ARCHIVE, {
      database: await database(kind, 'some_of_many'),
    });
    for (const name of PEOPLE.slice(1))
      tokens.set(name, (await on.ask('POST', '/tokens', { name, word: WORDS.get(name) })).body.access_token);
  });
  afterAll(() => on.close());

  const list = async (who: string, path: string, filter?: string): Promise<Row[]> => {
    const token = tokens.get(who);
    const query = new URLSearchParams({ limit: '100', view: 'default', ...(filter === undefined ? {} : { filter }) });
    const headers: Record<string, string> = token === undefined ? {} : { authorization: `Bearer ${token}` };
    const { status, body } = await on.ask('GET', `${path}?${query.toString()}`, undefined, headers);
    return status === 200 ? body.data : [];
  };
  const keys = (rows: readonly Row[]): unknown[] => rows.map(({ id, name }) => id ?? name).sort();
  /** What a filter finds, and what somebody finds who reads all that they may read. */
  const same = async (who: string, path: string, filter: string, holds: (row: Row) => boolean): Promise<number> => {
    const [found, wanted] = [await list(who, path, filter), (await list(who, path)).filter(holds)];
    expect([who, filter, keys(found)]).toEqual([who, filter, keys(wanted)]);
    return found.length;
  };

  test.each(PEOPLE)('%s counts the records that they may read, by the members that they may see', async (who) => {
    const notes = await list(who, '/notes');
    const boxes = await list(who, '/boxes');
    const ofBox = (box: Row): Row[] => notes.filter((note) => note.box_id === box.id);
    for (const least of [1, 2])
      await same(
        who,
        '/boxes',
        `count(notes, notes.body LIKE 'note-%') >= ${least}`,
        (box) => ofBox(box).length >= least,
      );
    await same(who, '/boxes', "NOT exists(notes, notes.state = 'draft')", (box) =>
      ofBox(box).every(({ state }) => state !== 'draft'),
    );
    await same(who, '/boxes', 'max(notes.rank, notes.rank < 3) = 2', (box) =>
      ofBox(box).some(({ rank }) => rank === 2),
    );
    await same(who, '/shelves', "exists(boxes.notes, boxes.notes.state = 'published')", (shelf) =>
      boxes.some((box) => box.shelf_id === shelf.id && ofBox(box).some(({ state }) => state === 'published')),
    );
    await same(who, '/notes', 'exists(box.notes, box.notes.rank > rank)', (note) =>
      notes.some(
        (other) => note.box_id !== null && other.box_id === note.box_id && Number(other.rank) > Number(note.rank),
      ),
    );
    await same(who, '/tags', 'exists(notes, notes.author_id = notes.editor_id)', () => false);
  });

  test.each(PEOPLE)('%s learns no planted secret by asking whether it is there', async (who) => {
    const seen = JSON.stringify([await list(who, '/notes'), await list(who, '/people')]);
    const planted = (await on.store.all({ sql: 'SELECT hint, body FROM notes' }, [])).flat().map(String);
    for (const secret of planted.filter((text) => text !== 'null' && !seen.includes(text))) {
      for (const member of ['hint', 'body']) {
        const is = `notes.${member} = '${secret}'`;
        for (const path of ['/people', '/tags', '/boxes']) {
          expect(keys(await list(who, path, `exists(notes, ${is})`))).toEqual([]);
          expect(
            keys(await list(who, path, `count(notes, NOT (${is})) <> count(notes, ${is} OR NOT (${is}))`)),
          ).toEqual([]);
        }
        expect(keys(await list(who, '/shelves', `exists(boxes.notes, boxes.${is})`))).toEqual([]);
        expect(
          keys(await list(who, '/boxes', `exists(notes.tags, exists(notes.tags.notes, notes.tags.${is}))`)),
        ).toEqual([]);
      }
    }
    // What is named here can never be seen: there is no such name.
    const token = tokens.get(who);
    const headers: Record<string, string> = token === undefined ? {} : { authorization: `Bearer ${token}` };
    const { status } = await on.ask(
      'GET',
      `/notes?filter=${encodeURIComponent("exists(tags.notes, tags.notes.author.word = 'x')")}`,
      undefined,
      headers,
    );
    expect(status).toBe(400);
  });
});
