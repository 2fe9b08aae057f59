import { expect, test } from '@jest/globals';
import { makeLastPages } from './last-pages.ts';
import type { Tagged } from './tagged.ts';

const LIST = {};

function counting(most: number) {
  const pages = makeLastPages(most);
  let made = 0;
  const page = (body: string) => (): Promise<Tagged> => {
    made += 1;
    return Promise.resolve({ status: 200, headers: {}, body });
  };
  return { pages, page, made: () => made };
}

test('a page is made once of the same row, and anew of any other', async () => {
  const { pages, page, made } = counting(10_000);
  const first = await pages.of(LIST, ['a', 1, null], page('one'));
  expect(await pages.of(LIST, ['a', 1, null], page('two'))).toBe(first);
  expect(made()).toBe(1);
  for (const row of [
    ['b', 1, null],
    ['b', '1', null],
    ['b', '1'],
    ['b', '1', null],
  ] as const)
    expect((await pages.of(LIST, row, page(row.join()))).body).toBe(row.join());
  expect((await pages.of({}, ['b', '1', null], page('another list'))).body).toBe('another list');
  expect(made()).toBe(6);
});

test('nothing is kept where no room is given, nor a page that takes too much of it', async () => {
  for (const [most, length] of [
    [0, 1],
    [400, 60],
  ] as const) {
    const { pages, page, made } = counting(most);
    for (const _again of [1, 2]) await pages.of(LIST, ['a'], page('x'.repeat(length)));
    expect(made()).toBe(2);
  }
});
