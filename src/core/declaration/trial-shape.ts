import { constant, entries, list, map, number, text } from './shape.ts';
import type { Entries } from './shape.ts';

const keptName = /^[a-z][A-Za-z0-9_-]*$/;
const keptHint = 'a name: letters, digits, hyphens and underscores, a small letter first';
const who = { shape: text(), about: 'who asks: a sample of the identity model, as member/ines, or nobody' };

/** What a request may expect; of a record, any of its members. */
export const expectation = entries('what is expected', {
  status: { shape: number, about: 'the status' },
  statuses: { shape: list(number, 1), about: 'of requests that are sent together, the statuses of all, in any order' },
  body: { shape: constant, about: 'members that the body must have; matchers may stand for values' },
  headers: { shape: map(constant, /^[A-Za-z0-9-]+$/, 'the name of a header'), about: 'headers that must be there' },
});

const request: Entries = {
  send: {
    shape: text(/^(GET|POST|PUT|PATCH|DELETE|HEAD|OPTIONS) \/\S*$/, 'a method and a path, as GET /v1/huts'),
    about: 'the request: a method and a path; {name} stands for what was kept, {hut/grey-hut} for the key of a sample',
  },
  as: who,
  body: {
    shape: constant,
    about:
      'what is sent; { sample: hut/grey-hut } is the key of a sample, { kept: name } what was kept, ' +
      '{ code: ines@huts.example } the last code that was sent to that address',
  },
  headers: { shape: map(text(), /^[A-Za-z0-9-]+$/, 'the name of a header'), about: 'headers of the request' },
  expect: { shape: expectation, about: 'what must come back' },
  keep: {
    shape: map(text(/^(\/.*)?$/, 'a JSON Pointer into the body'), keptName, keptHint),
    about: 'what to keep of the answer, under a name',
  },
};

const step = entries('a step', {
  ...request,
  together: { shape: list(entries('a request', request), 1), about: 'requests that are sent at the same time' },
  record: {
    shape: text(/^[a-z][a-z0-9-]*\/.+$/, 'a sample, as night/grey-hut-0612'),
    about: 'a sample whose record is looked at',
  },
  expect: { shape: map(constant, /./, 'a member'), about: 'what must come back, or what the record must hold' },
});

/** What `trials/*.yaml` may hold: a scenario a document. */
export const trialShape = entries('a trial', {
  trial: { shape: text(/\S/, 'a title'), about: 'what it shows, in a sentence', required: true },
  as: who,
  steps: { shape: list(step, 1), about: 'what is done, one after the other', required: true },
});
