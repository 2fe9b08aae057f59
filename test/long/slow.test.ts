import { join } from 'node:path';
import { describe, expect, test } from '@jest/globals';
import Database from 'libsql';
import type { StoreKind } from '../../src/core/model/service.ts';
import { fillRows } from '../kit/other-program.ts';
import { kinds, serverDatabases } from '../kit/databases.ts';
import { ask, folderWith, serving, vantfell } from '../kit/program.ts';
import type { RunningProgram } from '../kit/program.ts';

const MODEL = `
model: item
key: serial
stamps: false
sort: id
fields:
  name: { type: string, required: true }
  size: { type: integer }
index: [[size]]
`;
const ROWS = 300_000;
/** No index helps, and no record is found. */
const SLOW = `filter=${encodeURIComponent("CASEI(name) LIKE CASEI('%no such%')")}`;

const database = serverDatabases();

/** A service over a table of many rows, whose reads may take so long. */
async function servingMany(kind: StoreKind, read: string): Promise<RunningProgram> {
  const store = (await database(kind, 'slow')) ?? 'sqlite:./data.db';
  const folder = folderWith({
    'vantfell.yaml': `service: { name: Many }\nstore: "${store}"\nlimits: { read: ${read} }\n`,
    'models/item.yaml': MODEL,
  });
  await (await serving(folder)).stop();
  if (kind === 'sqlite') {
    const database = new Database(join(folder, 'data.db'));
    database.exec(`WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < ${ROWS})
      INSERT INTO items (name, size) SELECT 'Item ' || i, nullif(i % 7, 0) * i FROM n`);
    database.close();
  } else {
    await fillRows(store, ROWS, { name: (i) => `concat('Item ', ${i})`, size: (i) => `nullif(${i} % 7, 0) * ${i}` });
  }
  return serving(folder);
}

describe.each(kinds)('%s', (kind) => {
  test('quick requests do not wait for slow ones', async () => {
    const service = await servingMany(kind, '60s');
    const ended: string[] = [];
    const asked = (what: string, query: string): Promise<void> =>
      ask(`${service.url}/items${query}`).then(({ status }) => void ended.push(`${what} ${status}`));
    // As many as there may be at work at once, and more.
    const slow = Promise.all(Array.from({ length: 6 }, () => asked('slow', `?${SLOW}`)));
    for (const query of ['/7', '?limit=5', '?sort=-size&limit=5', '?size=6&sort=-size', '?filter=size>100&sort=size']) {
      await asked('quick', query);
    }
    // Who waits in line with them ends when they have: of six, two at a time are at work, and one may have got through.
    const before = [...ended];
    expect(before.filter((what) => what === 'quick 200')).toHaveLength(5);
    expect(before.filter((what) => what === 'slow 200').length).toBeLessThan(3);
    await slow;
    expect(ended.filter((what) => what === 'slow 200')).toHaveLength(6);
    await service.stop();
  });

  test('a read that takes longer than it may is given up, and told', async () => {
    const service = await servingMany(kind, '20ms');
    const { status, headers, body } = await ask(`${service.url}/items?${SLOW}`);
    expect(status).toBe(503);
    expect(headers.get('retry-after')).toBe('1');
    expect(body).toMatchObject({ type: '/problems/time-ran-out', status: 503 });
    // The next ones find a service that is there.
    expect((await ask(`${service.url}/items/7`)).status).toBe(200);
    await service.stop();
  });
});

test('a limit of reads is checked like any other', async () => {
  const folder = folderWith({
    'vantfell.yaml': 'service: { name: X }\nlimits: { read: soon }\n',
    'models/item.yaml': MODEL,
  });
  const ran = await vantfell(['check', '-C', folder]);
  expect([ran.code, ran.out + ran.err]).toEqual([1, expect.stringContaining('soon')]);
});
