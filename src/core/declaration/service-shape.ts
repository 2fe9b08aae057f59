import type { Entry, Shape } from './shape.ts';
import { constant, entries, text } from './shape.ts';

const later = (about: string): Entry => ({ shape: constant, about, later: true });
const atLeastOne: Shape = { kind: 'number', integer: true, least: 1 };

/** `vantfell.yaml`. */
export const serviceShape = entries('the service file', {
  service: {
    required: true,
    about: 'service: { name: Fell Huts }',
    shape: entries('the service', {
      name: { shape: text(/\S/, 'a name'), about: 'what the service is called', required: true },
      version: { shape: text(), about: 'the version of the API; 1.0.0 if left out' },
      prefix: {
        shape: text(/^(\/[a-z0-9][a-z0-9._-]*)*$/, 'empty, or segments like /v1'),
        about: 'what every path of a model begins with; nothing if left out',
      },
      description: { shape: text(), about: 'for people, and for the OpenAPI document' },
    }),
  },
  key: { shape: text(), about: 'signs cursors; at least 32 bytes; made and kept in .vantfell/ if left out' },
  store: { shape: text(/^sqlite:./, 'sqlite: and a path, as in sqlite:./data/huts.db'), about: 'the database' },
  paging: {
    about: 'how many records a list shows',
    shape: entries('paging', {
      default: { shape: atLeastOne, about: 'records on a page; 20 if left out' },
      most: { shape: atLeastOne, about: 'the most that `limit` may ask for; 100' },
    }),
  },
  limits: {
    about: 'what a request may cost',
    shape: entries('limits', {
      body: { shape: text(/^\d+(kB|MB)$/, 'a size like 64kB or 1MB'), about: 'the largest request body; 1MB' },
      rate: later('requests per caller'),
      'sign-in': later('failed sign-ins'),
      transaction: later('the time of a write'),
      read: later('the time of a read'),
      cascade: later('how many records one delete may take along'),
      queue: later('how many writers may wait'),
    }),
  },
  stores: later('the kinds of database that migrations are written for'),
  identity: later('who may sign in'),
  cors: later('which pages of other origins may call'),
  proxies: later('who may name the address of a client'),
});
