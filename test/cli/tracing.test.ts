// One trace, from what a caller sends through the service and the project's code to the log and to other services.
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { openService } from '../../src/index.ts';
import { ask, folderWith, serving } from '../kit/program.ts';
import type { RunningProgram } from '../kit/program.ts';

const SDK = fileURLToPath(new URL('../fixtures/tracing/sdk.mjs', import.meta.url));
const TRACE = '4bf92f3577b34da6a3ce929d0e0e4736';
const CALLER = '00f067aa0ba902b7';
const FILES = {
  'vantfell.yaml': 'service: { name: Post }\nstore: sqlite:./post.db\n',
  'models/parcel.yaml':
    'model: parcel\nfields: { label: { type: string } }\n' +
    'may: { read: anybody, create: anybody, weigh: anybody }\n' +
    'operations: { weigh: { target: list, reads: true, output: { kg: { type: integer } } } }\n',
  'code/parcel.hooks.ts': `import { hooks } from 'vantfell';
export default hooks('parcel', {
  beforeCreate: async (draft, scope) => {
    scope.log.info('packed');
    if (process.env.ONWARD) await fetch(process.env.ONWARD, { headers: scope.trace.headers });
    if (draft.label === 'broken') throw new Error('it fell');
  },
  afterCommit: (event, scope) => scope.log.info('sent'),
});
`,
  'code/parcel.weigh.ts': `import { operation } from 'vantfell';
export default operation('parcel.weigh', (input, scope) => ({ kg: scope.trace.id.length }));
`,
};

interface Line {
  readonly msg: string;
  readonly trace_id?: string;
  readonly span_id?: string;
}

/** Lines of JSON, once there is one with such a text. */
async function linesWith(server: RunningProgram, text: string): Promise<Line[]> {
  const said = await server.until(`"msg":"${text}"`);
  return said
    .split('\n')
    .filter((line) => line.startsWith('{'))
    .map((line) => JSON.parse(line) as Line);
}

let received: Record<string, unknown>[] = [];
const onward = createServer((request, response) => {
  received.push(request.headers);
  response.end();
});
let onwardUrl = '';
beforeAll(async () => {
  await new Promise<void>((resolve) => onward.listen(0, '127.0.0.1', resolve));
  onwardUrl = `http://127.0.0.1:${(onward.address() as AddressInfo).port}/`;
});
afterAll(() => void onward.close());

const parent = (flags = '01'): Record<string, string> => ({
  traceparent: `00-${TRACE}-${CALLER}-${flags}`,
  tracestate: 'fell=1',
});

describe('without an SDK', () => {
  test('a trace goes through hook, log and onward request; what names none gets one of its own', async () => {
    received = [];
    const folder = folderWith(FILES);
    writeFileSync(join(folder, '.env'), `ONWARD=${onwardUrl}\n`);
    const server = await serving(folder);
    const post = (label: string, headers = {}): ReturnType<typeof ask> =>
      ask(`${server.url}/parcels`, 'POST', { label }, headers);
    expect((await post('a', parent())).status).toBe(201);
    const lines = await linesWith(server, 'sent');
    for (const text of ['packed', 'request', 'sent']) {
      expect(lines.find(({ msg }) => msg === text)).toMatchObject({ trace_id: TRACE });
    }
    const { span_id: span } = lines.find(({ msg }) => msg === 'packed')!;
    expect(received[0]).toMatchObject({ traceparent: `00-${TRACE}-${span}-01`, tracestate: 'fell=1' });
    expect(span).not.toBe(CALLER);

    // A defect is told with its trace, too.
    expect((await post('broken', parent('00'))).status).toBe(500);
    expect(await linesWith(server, 'beforeCreate of parcel: it fell')).toContainEqual(
      expect.objectContaining({ level: 50, trace_id: TRACE }),
    );

    for (const traceparent of [
      undefined,
      '',
      'x',
      `00-${TRACE.toUpperCase()}-${CALLER}-01`,
      `00-${'0'.repeat(32)}-${CALLER}-01`,
      `00-${TRACE}-${'0'.repeat(16)}-01`,
      `ff-${TRACE}-${CALLER}-01`,
      `00-${TRACE}-${CALLER}-01-more`,
      `00-${TRACE}-${CALLER}`,
    ]) {
      received = [];
      expect((await post('b', traceparent === undefined ? {} : { traceparent })).status).toBe(201);
      expect(received[0]!.traceparent).toMatch(/^00-[0-9a-f]{32}-[0-9a-f]{16}-00$/);
      expect(received[0]!.traceparent).not.toContain(TRACE);
    }
    // A version to come may say more.
    received = [];
    expect((await post('c', { traceparent: `01-${TRACE}-${CALLER}-01-more` })).status).toBe(201);
    expect(received[0]!.traceparent).toContain(TRACE);
    expect((await ask(`${server.url}/parcels/weigh`)).body.data).toEqual({ kg: 32 });
  });
});

describe('with an SDK', () => {
  test('request, statement and code have spans, one inside the other, and the log names them', async () => {
    const folder = folderWith(FILES);
    const spansFile = join(folder, 'spans.jsonl');
    const before = process.env.NODE_OPTIONS;
    Object.assign(process.env, { NODE_OPTIONS: `--import ${SDK}`, SPANS: spansFile });
    const server = await serving(folder).finally(() => {
      delete process.env.SPANS;
      if (before === undefined) delete process.env.NODE_OPTIONS;
      else process.env.NODE_OPTIONS = before;
    });
    expect((await ask(`${server.url}/parcels`, 'POST', { label: 'a' }, parent())).status).toBe(201);
    expect((await ask(`${server.url}/parcels/weigh`, 'GET', undefined, parent())).status).toBe(200);
    const lines = await linesWith(server, 'sent');
    await server.stop();
    expect(existsSync(spansFile)).toBe(true);
    const spans = readFileSync(spansFile, 'utf8')
      .trimEnd()
      .split('\n')
      .map((line) => JSON.parse(line) as Record<'name' | 'parent' | 'traceId' | 'spanId', string>);
    const one = (name: string) => spans.find((span) => span.name === name)!;
    const request = one('POST /parcels');
    expect(request).toMatchObject({
      traceId: TRACE,
      parent: CALLER,
      attributes: { 'http.request.method': 'POST', 'http.route': '/parcels', 'http.response.status_code': 201 },
    });
    expect(one('INSERT')).toMatchObject({ traceId: TRACE, parent: request.spanId });
    expect(one('INSERT')).toMatchObject({ attributes: { 'db.system.name': 'sqlite', 'db.operation.name': 'INSERT' } });
    expect(one('beforeCreate parcel')).toMatchObject({ traceId: TRACE, parent: request.spanId });
    expect(one('afterCommit parcel')).toMatchObject({ traceId: TRACE });
    expect(one('operation parcel.weigh')).toMatchObject({ parent: one('GET /parcels/weigh').spanId });
    expect(lines.find(({ msg }) => msg === 'packed')).toMatchObject({ trace_id: TRACE, span_id: request.spanId });
  });
});

test('a service that is mounted in another program takes up the trace too', async () => {
  const service = await openService(folderWith(FILES));
  try {
    for (const headers of [parent(), {}]) {
      const answer = await service.fetch(new Request('http://parcels.example/parcels/weigh', { headers }));
      expect(await answer.json()).toEqual({ data: { kg: 32 } });
    }
  } finally {
    await service.close();
  }
});
