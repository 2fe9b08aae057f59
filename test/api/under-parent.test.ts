// A record is made under another, which somebody deletes meanwhile.
import { expect, test } from '@jest/globals';
import { openTestService } from '../kit/open-test-service.ts';
import { folderWith } from '../kit/program.ts';

test('under a parent that is deleted meanwhile there is nothing: the body is not to blame', async () => {
  const folder = folderWith({
    'vantfell.yaml': 'service: { name: Shelves }\n',
    'models/shelf.yaml': 'model: shelf\nfields: { name: { type: string } }\n',
    'models/box.yaml': 'model: box\nwithin: shelf\nfields: { weight: { type: integer, required: true } }\n',
  });
  const on = await openTestService(folder);
  const seen = new Set<string>();
  for (let at = 0; at < 60; at += 1) {
    const { body } = await on.ask('POST', '/shelves', {});
    const path = `/shelves/${String(body.data.id)}`;
    const boxes = at % 2 === 0 ? {} : [{}, { weight: 3 }];
    const [made] = await Promise.all([on.ask('POST', `${path}/boxes`, boxes), on.ask('DELETE', path)]);
    const errors = (made.body.errors ?? []) as { pointer: string; rule: string }[];
    seen.add([made.status, ...errors.map(({ pointer, rule }) => `${rule} at ${pointer}`)].join(' '));
  }
  await on.close();
  const known = ['404', '422 required at /weight', '422 required at /0/weight'];
  expect([...seen].filter((one) => !known.includes(one))).toEqual([]);
  expect(seen).toContain('404');
});
