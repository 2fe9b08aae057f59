// Connections that pass from writer to writer: in the order of asking, never more than there are, none lost.
import { describe, expect, test } from '@jest/globals';
import { StoreError } from '../../src/core/store/contract.ts';
import { makeLender } from '../../src/store/base/lender.ts';

/** Lends numbers, two at most; `waiting` others wait in the pool, and `failing` connections fail. */
function lending({ longest = 1_000, waiting = 0, failing = 0 } = {}) {
  const released: [number, boolean][] = [];
  let [made, left] = [0, failing];
  const lender = makeLender<number>({
    most: 2,
    longest,
    connect: () => ((left -= 1) >= 0 ? Promise.reject(new Error('no server')) : Promise.resolve((made += 1))),
    release: (client, broken) => void released.push([client, broken !== undefined]),
    waiting: () => waiting,
  });
  return { lender, released };
}

describe('a connection', () => {
  test('goes to whoever waits, in the order of asking, without the pool', async () => {
    const { lender, released } = lending();
    const [first, second] = [await lender.lend(), await lender.lend()];
    expect([lender.isFull(), lender.waiting()]).toEqual([true, 0]);
    const order: string[] = [];
    const waiting = ['a', 'b'].map((who) => lender.lend().then((client) => order.push(`${who} has ${client}`)));
    expect(lender.waiting()).toBe(2);
    lender.giveBack(second, true);
    lender.giveBack(first, true);
    await Promise.all(waiting);
    expect(order).toEqual([`a has ${second}`, `b has ${first}`]);
    expect(released).toEqual([]);
    lender.giveBack(first, true);
    expect(released).toEqual([[first, false]]);
    expect(lender.isFull()).toBe(false);
  });

  test.each([
    ['that has broken is thrown away', new Error('gone'), 0],
    ['that the pool has to look at goes back to it', undefined, 0],
    ['goes to the pool where others wait there', undefined, 1],
  ])('%s, and whoever waits gets another', async (_what, broken, waiting) => {
    const { lender, released } = lending({ waiting });
    const [first] = [await lender.lend(), await lender.lend()];
    const next = lender.lend();
    lender.giveBack(first, waiting > 0, broken);
    expect(await next).toBe(3);
    expect(released).toEqual([[first, broken !== undefined]]);
  });

  test('that can not be made leaves its place to the next', async () => {
    const { lender } = lending({ failing: 2 });
    const asked = [lender.lend(), lender.lend(), lender.lend()];
    const found = await Promise.allSettled(asked);
    expect(found.map(({ status }) => status)).toEqual(['rejected', 'rejected', 'fulfilled']);
    expect(lender.isFull()).toBe(false);
  });

  test('is waited for no longer than said', async () => {
    const { lender } = lending({ longest: 20 });
    const [first] = [await lender.lend(), await lender.lend()];
    await expect(lender.lend()).rejects.toBeInstanceOf(StoreError);
    expect(lender.waiting()).toBe(0);
    lender.giveBack(first, true);
    expect(await lender.lend()).toBe(3);
  });
});
