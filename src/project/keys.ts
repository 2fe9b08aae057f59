import { randomFillSync } from 'node:crypto';
import { v7 } from 'uuid';

/** Random bytes come cheaper by the thousand: fetching sixteen costs as much as reading a record. */
const POOL = new Uint8Array(16 * 256);
/** 31 bits, which leaves room for as many keys again in the same millisecond (RFC 9562, 6.2). */
const MOST_START = 0x7fffffff;
let used = POOL.length;
let [last, sequence] = [-Infinity, 0];

/** A UUID of version 7, after all that this process made before. */
export function nextKey(): string {
  if (used === POOL.length) {
    randomFillSync(POOL);
    used = 0;
  }
  const random = POOL.subarray(used, (used += 16));
  const now = Date.now();
  if (now > last) {
    last = now;
    sequence = ((random[0]! << 24) | (random[1]! << 16) | (random[2]! << 8) | random[3]!) & MOST_START;
  } else {
    sequence = (sequence + 1) | 0;
    if (sequence === 0) last += 1;
  }
  return v7({ random, msecs: last, seq: sequence });
}
