import { createWriteStream } from 'node:fs';
import { join } from 'node:path';
import { once } from 'node:events';
import { expect, test } from '@jest/globals';
import { ask, folderWith, serving, vantfell } from '../kit/program.ts';

const RECORDS = 1_000_000;

test('a million records are loaded with a heap that could not hold them', async () => {
  const folder = folderWith({
    'vantfell.yaml': 'service: { name: Million }\n',
    'models/item.yaml':
      'model: item\nfields:\n  name: { type: string, required: true, maxLength: 40 }\n' +
      '  grams: { type: integer, minimum: 0 }\nindex: [[grams]]\n',
    'samples/.keep': '',
  });
  const file = createWriteStream(join(folder, 'samples/items.ndjson'));
  for (let at = 1; at <= RECORDS; at += 1) {
    if (!file.write(`${JSON.stringify({ name: `Item ${at}`, grams: at % 1000 })}\n`)) await once(file, 'drain');
  }
  file.end();
  await once(file, 'close');
  const ran = await vantfell(['seed', '-C', folder], { env: { NODE_OPTIONS: '--max-old-space-size=96' } });
  expect([ran.code, ran.err]).toEqual([0, ran.err]);
  expect(ran.out).toMatch(/item +1000000 +0 +0/);
  const server = await serving(folder);
  const { body } = await ask(`${server.url}/items?grams=999&limit=1&fields=name`);
  expect(body.data).toHaveLength(1);
  await server.stop();
}, 1_500_000);
