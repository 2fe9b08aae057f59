import { connect } from 'node:net';
import type { Socket } from 'node:net';
import { expect, test } from '@jest/globals';
import { ask, demoFolder, serving } from '../kit/program.ts';

/** What came over a connection until its other end closed it, and after how many seconds. */
const untilClosed = (socket: Socket): Promise<{ said: string; after: number }> => {
  const begun = performance.now();
  let said = '';
  socket.on('data', (chunk: Buffer) => (said += chunk.toString())).on('error', () => undefined);
  return new Promise((resolve) =>
    socket.on('close', () => resolve({ said, after: (performance.now() - begun) / 1000 })),
  );
};

test('clients that send their requests slowly are not waited for, and hold nobody up', async () => {
  const server = await serving(demoFolder());
  const { port } = new URL(server.url);
  const sending = (text: string): Socket => {
    const socket = connect(Number(port), '127.0.0.1');
    socket.write(text);
    return socket;
  };
  // A letter of a header each second, and a byte of a body.
  const [headers, body] = [
    sending('GET /v1/huts HTTP/1.1\r\nHost: x\r\nX-Slow: '),
    sending('POST /v1/tokens HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\nContent-Length: 5000\r\n\r\n{'),
  ];
  const crowd = Array.from({ length: 200 }, () => sending('GET / HTTP/1.1\r\n'));
  const drip = setInterval(() => [headers, body].forEach((socket) => socket.writable && socket.write('x')), 1_000);
  const ends = [headers, body, ...crowd].map(untilClosed);
  for (let at = 0; at < 20; at += 1) expect((await ask(`${server.url}/v1/huts?limit=1`)).status).toBe(200);
  const [ofHeaders, ofBody, ...ofCrowd] = await Promise.all(ends);
  clearInterval(drip);
  for (const { said, after } of [ofHeaders!, ...ofCrowd]) {
    expect(said).toMatch(/^HTTP\/1\.1 408 /);
    expect(after).toBeLessThan(20);
  }
  expect(ofBody!.said).toMatch(/^HTTP\/1\.1 408 /);
  expect(ofBody!.after).toBeLessThan(45);
  expect(await server.stop()).toBe(0);
});
