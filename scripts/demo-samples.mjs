// node scripts/demo-samples.mjs: makes demo/samples/ as large as a season is, beside what is written there by hand (the
// members, the huts, the amenities, and the first rows of all others). The same each time.
import { readFileSync, writeFileSync } from 'node:fs';
import { stringify } from 'yaml';

const at = (file) => new URL(`../demo/samples/${file}`, import.meta.url);
const read = (file) => readFileSync(at(file), 'utf8');

let state = 20260601;
/** A whole number below `count`, by a linear congruential generator (Numerical Recipes). */
const below = (count) => {
  state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
  return Math.floor((state / 2 ** 32) * count);
};
const one = (list) => list[below(list.length)];
const day = (number) => new Date(Date.UTC(2026, 5, 1 + number)).toISOString().slice(0, 10);
const short = (date) => date.slice(5).replace('-', '');
const handles = (text) => [...text.matchAll(/^([a-z][a-z0-9-]*):/gm)].map(([, handle]) => handle);
/** A cell of CSV (RFC 4180). */
const cell = (text) => (/[",\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text);
const lines = (rows) => rows.map((row) => row.map((value) => cell(String(value))).join(',')).join('\n') + '\n';

const DAYS = 60;
const members = handles(read('members.yaml'));
const huts = [...read('huts.yaml').matchAll(/^([a-z-]+):\n((?: {2}.*\n)+)/gm)].map(([, handle, entries]) => ({
  handle,
  beds: Number(/beds: (\d+)/.exec(entries)[1]),
}));

/** What is written by hand: everything up to the rows that this script has made before. */
const MADE = '# made by scripts/demo-samples.mjs';
const byHand = (file) => read(file).split(`${MADE}\n`)[0];

const nights = nightRows();
writeFileSync(at('nights.csv'), lines([['$', 'hut', 'date', 'price', 'beds_left'], ...nights]));
writeFileSync(at('stays.yaml'), withMade('stays.yaml', stays(114)));
writeFileSync(at('reports.yaml'), withMade('reports.yaml', reports(77)));
writeFileSync(at('messages.yaml'), withMade('messages.yaml', messages(57)));
writeFileSync(at('supplies.csv'), lines(supplyRows(40)));

function withMade(file, records) {
  const text = Object.entries(records).map(([handle, record]) =>
    stringify({ [handle]: record }, { lineWidth: 110, flowCollectionPadding: true }),
  );
  return `${byHand(file)}${MADE}\n${text.join('')}`;
}

/** Each hut on each day of the season; what was there before stays as it was. */
function nightRows() {
  const before = new Map(
    read('nights.csv')
      .trim()
      .split('\n')
      .slice(1)
      .map((line) => [line.split(',')[0], line.split(',')]),
  );
  return huts.flatMap(({ handle, beds }) => {
    const usual = before.get(`${handle}-0608`)[3];
    return Array.from({ length: DAYS }, (_none, number) => {
      const date = day(number);
      const name = `${handle}-${short(date)}`;
      if (before.has(name)) return before.get(name);
      const isWeekend = [5, 6].includes(new Date(date).getUTCDay());
      const price = (Number(usual) + (isWeekend ? 6.5 : 0)).toFixed(2);
      return [name, handle, date, price, Math.max(1, beds - below(Math.ceil(beds / 2)))];
    });
  });
}

function stays(count) {
  const left = new Map(nights.map(([name, , , , beds]) => [name, Number(beds)]));
  const made = {};
  const notes = [
    'We arrive late.',
    'One of us sleeps badly near the stove.',
    'We bring a dog.',
    'Could we have the room to the west?',
  ];
  while (Object.keys(made).length < count) {
    const night = one(nights)[0];
    const guest = one(members);
    const party = 1 + below(5);
    const name = `${guest}-${night}`;
    // Some beds stay free everywhere, for those who try the demo.
    if (made[name] !== undefined || left.get(night) < party + 4 || /-06(0[89]|1[0-5])$/.test(night)) continue;
    left.set(night, left.get(night) - party);
    made[name] = { guest, night, party };
    if (below(5) === 0) made[name].note = one(notes);
    if (below(12) === 0)
      Object.assign(made[name], {
        status: 'cancelled',
        cancelled_because: one(['Rain all week.', 'A twisted ankle.', 'The bus did not run.']),
      });
  }
  return made;
}

function reports(count) {
  const things = [
    ['The stove', ['smokes when the wind is from the west', 'has a new door', 'draws badly'], ['stove']],
    [
      'The path',
      ['is under water by the tarn', 'is marked again up to the pass', 'has slid below the scree'],
      ['path'],
    ],
    ['The bridge', ['has lost a plank', 'is slippery in the morning', 'holds again'], ['bridge', 'path']],
    ['The woodshed', ['is nearly empty', 'is full', 'has a hole in its roof'], ['wood']],
    ['The radio', ['is silent', 'hums', 'works again since Tuesday'], ['radio']],
    ['The well', ['is clear', 'tastes of iron', 'has run dry'], ['water']],
    ['The north window', ['does not close', 'lets the rain in', 'has a new pane'], ['window']],
  ];
  const made = {};
  for (let number = 1; number <= count; number += 1) {
    const [what, states, tags] = one(things);
    const state = one(states);
    const severity = one(['note', 'note', 'minor', 'minor', 'urgent']);
    const text = one([
      'Seen by two of us.',
      'It was so last week, too.',
      'I told the warden.',
      'A photograph is in the hut book.',
    ]);
    made[`r${String(number).padStart(2, '0')}`] = {
      hut: one(huts).handle,
      author: one(members),
      title: `${what} ${state}`,
      severity,
      ...(severity === 'urgent' || below(2) === 0 ? { text } : {}),
      seen_on: day(below(DAYS)),
      tags: below(3) === 0 ? [...tags, one(['spring', 'repair', 'winter'])] : tags,
      ...(below(4) === 0
        ? {
            position: {
              latitude: Number((60 + below(9000) / 10000).toFixed(4)),
              longitude: Number((8 + below(9000) / 10000).toFixed(4)),
            },
          }
        : {}),
      ...(below(3) === 0 ? { done: true } : {}),
    };
  }
  return made;
}

function messages(count) {
  const texts = [
    'Are there beds left on Friday?',
    'The key is under the third stone.',
    'Thank you for the soup.',
    'Bring candles, please.',
    'The bus leaves at seven.',
    'Did you find my blue mitten?',
    'We wait at the pass.',
    'There is ice on the lake again.',
    'I have carried the gas up.',
    'Who has the saw?',
    'The map of Sulvik is yours.',
    'Two more will come on Sunday.',
  ];
  const made = {};
  for (let number = 1; number <= count; number += 1) {
    const sender = one(members);
    const recipient = one(members.filter((name) => name !== sender));
    const read =
      below(3) > 0
        ? {
            read_at: `${day(below(DAYS))}T${String(6 + below(16)).padStart(2, '0')}:${String(below(60)).padStart(2, '0')}:00Z`,
          }
        : {};
    made[`m${String(number).padStart(2, '0')}`] = { sender, recipient, text: one(texts), ...read };
  }
  return made;
}

/** Goods at huts, none twice at one of them. */
function supplyRows(count) {
  const [head, ...before] = read('supplies.csv')
    .trim()
    .split('\n')
    .map((line) => line.split(','));
  const rows = before.slice(0, 6);
  const goods = [
    ['Firewood', 'kg'],
    ['Lamp oil', 'l'],
    ['Oats', 'kg'],
    ['Candles', 'piece'],
    ['Gas', 'piece'],
    ['Matches', 'piece'],
    ['Tea', 'kg'],
  ];
  while (rows.length < count) {
    const { handle } = one(huts);
    const [item, unit] = one(goods);
    if (rows.some(([, hut, other]) => hut === handle && other === item)) continue;
    const name = `${handle.split('-')[0]}-${item.split(' ').at(-1).toLowerCase()}`;
    if (rows.some(([other]) => other === name)) continue;
    rows.push([name, handle, item, `${5 + below(200)}.${below(10)}`, unit]);
  }
  return [head, ...rows];
}
