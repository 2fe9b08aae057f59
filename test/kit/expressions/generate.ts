import fc from 'fast-check';
import type { Syntax } from '../../../src/core/expression/syntax.ts';

const spot = { from: 0, to: 0 };
const call = (op: string, ...args: Syntax[]): Syntax => ({ kind: 'call', op, args, spot });
const property = (name: string): Syntax => ({ kind: 'property', path: name.split('.'), spot });
const text = (value: string): Syntax => ({ kind: 'text', value, spot });
const number = (written: string): Syntax => ({ kind: 'number', written, spot });
const list = (items: Syntax[]): Syntax => ({ kind: 'list', items, spot });

/** Few values, so that equal ones meet; letters of several scripts, marks, signs that patterns know. */
export const WORDS = [
  '',
  'a',
  'A',
  'ab',
  'Ab%',
  'grey_hut',
  'Grey Hut',
  'É',
  'é',
  'e\u0301',
  'ß',
  'SS',
  'ſ',
  'Σ',
  'ς',
  'İ',
  'ÆØ',
  'Żółć',
  '日本',
  '😀',
  '\uffee',
  "it's",
  'a\\b',
  '*[?]',
  '\n',
  'ﬁ',
];
export const DAYS = ['0001-01-01', '2024-02-29', '2026-01-31', '2026-02-28', '2026-06-12', '2026-06-13', '9999-12-31'];
export const MOMENTS = [
  '2026-06-12T00:00:00.000Z',
  '2026-06-12T14:30:00.000Z',
  '2026-06-12T14:30:00.001Z',
  '1969-12-31T23:59:59.999Z',
  '2024-02-29T00:00:00.000Z',
  '0001-01-01T00:00:00.000Z',
  '9999-12-31T23:59:59.999Z',
];
/** A day, a month or a year more or less, and what leaves the calendar. */
const DATED = ['P1D', '-P1D', 'P14D', 'P1M', '-P1M', 'P11M', 'P1Y', '-P4Y', 'P1Y2M3W4D', 'P400D', 'P8000Y', 'P0D'];
const TIMED = ['PT1S', '-PT0.001S', 'PT36H', 'P1MT12H30M', '-P1Y1DT1H', 'PT90000M', 'P7999YT1H'];
export const TIMES = ['00:00:00', '14:30:00', '14:30:00.500'];
export const CODES = ['00000000-0000-4000-8000-000000000000', 'ffffffff-ffff-4fff-bfff-ffffffffffff'];
export const WHOLES = [0, 1, -1, 2, 3, -7, 10, 100, 9007199254740991, -9007199254740991];
export const REALS = [0, 1, -1, 0.5, 2.5, -2.5, 0.1, 1 / 3, 1e300, -1e300, 5e-324, 1e15, 123456.789];
export const PRICES = ['0.00', '12.50', '-12.50', '0.01', '0.05', '99999999999999.99', '1.00'];

/** What may stand inside JSON. */
const INSIDES = ['a', 'Grey Hut', '1', '', 1, -2.5, 1e300, 0, true, false, [1], ['a'], { a: 1 }];
/** Places in JSON. */
const OPEN = ['any', 'any.a', 'any.a.a', 'any.b c.é', "any.b c.it's", 'up.any.a', 'any.0'];

const of = <Value>(values: readonly Value[]): fc.Arbitrary<Value> => fc.constantFrom(...values);
const oneOf = fc.oneof;

const lists = of(['a_contains', 'a_containedby', 'a_overlaps', 'a_equals']);
const patterns = of(['a%', '%', '_', '%b_', 'Grey%', 'a\\%', '%\\\\%', '\\_%', '%é', '*', '[', '']);
const numeric = of(['0', '1', '-1', '2', '7', '100', '2.5', '0.01', '-3.14159', '1e3', '12.50']);

/** Expressions over the things of `world.ts`, nested as deep as they come; all of them are well typed. */
type Kinds = Record<'words' | 'numbers' | 'days' | 'moments' | 'conditions', Syntax>;

const kinds = fc.letrec<Kinds>((tie: fc.LetrecTypedTie<Kinds>) => ({
  words: oneOf(
    { depthSize: 'small', withCrossShrink: true },
    of(['word', 'other', 'kind', 'place.name', 'up.word', 'card.text', 'up.up.other']).map(property),
    of(WORDS).map(text),
    fc.tuple(of(['lower', 'upper', 'casei', 'accenti']), tie('words')).map(([op, word]) => call(op, word)),
    fc.tuple(tie('words'), tie('words')).map(([a, b]) => call('coalesce', a, b)),
    of(['max(marks.name)', 'min(marks.name)', 'max(downs.word)', 'max(downs.marks.name)']).map(aggregate),
    of(OPEN).map((path) => call('text', property(path))),
    aggregateWhere(tie, ['max(marks.name)', 'min(downs.word)', 'max(up.marks.name)']),
  ),
  numbers: oneOf(
    { depthSize: 'small', withCrossShrink: true },
    of([
      'whole',
      'count',
      'real',
      'price',
      'exact',
      'place.lat',
      'place.cost',
      'place.deep.n',
      'up.whole',
      'double',
      'up.double',
    ]).map(property),
    numeric.map(number),
    of(OPEN).map((path) => call('number', property(path))),
    fc.tuple(of(['+', '-', '*', '/', '%', 'div']), tie('numbers'), tie('numbers')).map(([op, a, b]) => call(op, a, b)),
    tie('words').map((word) => call('length', word)),
    fc.tuple(of(['year', 'month', 'weekday']), instants(tie)).map(([op, at]) => call(op, at)),
    fc.tuple(of(['days_between', 'seconds_between']), instants(tie), instants(tie)).map(([op, a, b]) => call(op, a, b)),
    of([
      'count(marks)',
      'count(downs)',
      'count(up.marks)',
      'sum(notes.size)',
      'min(notes.cost)',
      'max(notes.cost)',
      'sum(notes.cost)',
      'min(notes.ratio)',
      'sum(marks.weight)',
      'sum(up.notes.size)',
      'count(marks.things)',
      'count(downs.marks)',
      'sum(downs.notes.size)',
      'max(marks.things.price)',
      'count(downs.downs)',
    ]).map(aggregate),
    aggregateWhere(tie, ['count(marks)', 'count(downs)', 'sum(notes.size)', 'max(notes.cost)', 'count(up.notes)']),
    aggregateWhere(tie, ['count(downs.notes)', 'sum(marks.weight)', 'count(marks.things)', 'sum(downs.up.whole)']),
    fc.tuple(tie('numbers'), numeric).map(([a, b]) => call('coalesce', a, number(b))),
  ),
  days: oneOf(
    { depthSize: 'small' },
    of(['day', 'up.day']).map(property),
    of(DAYS).map((value): Syntax => ({ kind: 'date', value, spot })),
    fc.constant(call('today')),
    fc.tuple(tie('days'), of(DATED)).map(([day, by]) => call('add', day, text(by))),
    fc.constant(aggregate('max(notes.on)')),
  ),
  moments: oneOf(
    { depthSize: 'small' },
    of(['at', 'up.at']).map(property),
    of(MOMENTS).map((value): Syntax => ({ kind: 'timestamp', value, spot })),
    fc.constant(call('now')),
    fc.tuple(tie('moments'), of([...DATED, ...TIMED])).map(([at, by]) => call('add', at, text(by))),
  ),
  conditions: oneOf(
    { depthSize: 'small', withCrossShrink: true },
    comparisons(tie('numbers')),
    comparisons(tie('words')),
    comparisons(oneOf(tie('days'), tie('moments'))),
    fc.tuple(of(['=', '<>', '<', '>=']), of(TIMES)).map(([op, value]) => call(op, property('time'), text(value))),
    fc.tuple(of(['=', '<>']), of(CODES)).map(([op, value]) => call(op, text(value), property('code'))),
    fc
      .tuple(of(['=', '<>', '<']), of([...PRICES, '0.001', '12.505']))
      .map(([op, value]) => call(op, property('price'), text(value))),
    fc
      .tuple(
        of(['t_after', 't_before', 't_equals']),
        oneOf(tie('days'), tie('moments')),
        oneOf(tie('days'), tie('moments')),
      )
      .map(([op, a, b]) => call(op, a, b)),
    fc
      .tuple(tie('moments'), of(DAYS), of([...DAYS, '..']))
      .map(([at, from, to]) => call('t_during', at, { kind: 'interval', ends: [text(from), text(to)], spot })),
    fc.tuple(tie('words'), patterns).map(([word, pattern]) => call('like', word, text(pattern))),
    fc
      .tuple(tie('words'), patterns, of(['casei', 'accenti']))
      .map(([word, pattern, fold]) => call('like', call(fold, word), call(fold, text(pattern)))),
    fc.tuple(tie('numbers'), tie('numbers'), tie('numbers')).map((args) => call('between', ...args)),
    fc
      .tuple(tie('words'), fc.array(tie('words'), { minLength: 2, maxLength: 3 }))
      .map(([word, items]) => call('in', word, list(items))),
    fc
      .tuple(tie('numbers'), fc.array(tie('numbers'), { minLength: 2, maxLength: 3 }))
      .map(([word, items]) => call('in', word, list(items))),
    oneOf(
      tie('words'),
      tie('numbers'),
      tie('days'),
      tie('conditions'),
      of(['tags', 'any', 'place', 'flag', 'code']).map(property),
    ).map((value) => call('isNull', value)),
    fc
      .tuple(
        lists,
        of(['tags', 'marks.name', 'mark_ids', 'up.tags', 'downs.word']),
        fc.uniqueArray(of(['a', 'ab', 'stove', 'É']), { minLength: 2, maxLength: 3 }),
      )
      .map(([op, name, items]) => call(op, property(name), list(items.map(text)))),
    fc
      .tuple(lists, of(['tags', 'marks.name']), of(['up.tags', 'mark_ids']))
      .map(([op, a, b]) => call(op, property(a), property(b))),
    fc
      .tuple(lists, of(['sizes', 'notes.size']), fc.array(of(['1', '2', '7']), { minLength: 2, maxLength: 3 }))
      .map(([op, a, items]) => call(op, property(a), list(items.map(number)))),
    fc
      .tuple(lists, of(['costs', 'notes.cost']), fc.array(of(['1.00', '12.50']), { minLength: 2, maxLength: 3 }))
      .map(([op, a, items]) => call(op, property(a), list(items.map(text)))),
    fc
      .tuple(of(['=', '<>', '<', '>=']), of(OPEN), oneOf(tie('words'), tie('numbers')))
      .map(([op, path, value]) => call(op, property(path), value)),
    of(OPEN).map((path) => call('=', property(path), { kind: 'boolean', value: true, spot })),
    of(OPEN).map((path) => call('isNull', property(path))),
    of(['exists(marks)', 'exists(downs.notes)', 'exists(marks.things)']).map(aggregate),
    aggregateWhere(tie, ['exists(marks)', 'exists(downs)', 'exists(notes)', 'exists(up.marks)', 'exists(downs.marks)']),
    of(['flag', 'up.flag']).map(property),
    of(['steward', 'walker']).map((role) => call('has_role', text(role))),
    fc.constant(call('=', property('up_id'), property('id'))),
    fc
      .tuple(of(['and', 'or']), fc.array(tie('conditions'), { minLength: 2, maxLength: 3 }))
      .map(([op, args]) => call(op, ...args)),
    tie('conditions').map((condition) => call('not', condition)),
  ),
}));

function instants(tie: fc.LetrecTypedTie<Kinds>): fc.Arbitrary<Syntax> {
  return oneOf(tie('days'), tie('moments'));
}

function comparisons(values: fc.Arbitrary<Syntax>): fc.Arbitrary<Syntax> {
  return fc.tuple(of(['=', '<>', '<', '>', '<=', '>=']), values, values).map(([op, a, b]) => call(op, a, b));
}

function aggregate(written: string): Syntax {
  const [, op = '', path = ''] = /^(\w+)\((.+)\)$/.exec(written) ?? [];
  return call(op, property(path));
}

/** What a record behind each relation to many has, by kind. */
const OF_EACH = new Map(
  Object.entries({
    marks: { words: ['name'], numbers: ['weight', 'count(things)'] },
    notes: { words: ['thing.word'], numbers: ['size', 'cost', 'ratio', 'thing.whole'] },
    downs: { words: ['word', 'up.other', 'max(marks.name)'], numbers: ['whole', 'sum(notes.size)', 'price'] },
    things: { words: ['word', 'kind'], numbers: ['whole', 'count(downs)'] },
  }),
);

/** An aggregate of some: its condition names what each has, and what the record has to which they belong. */
function aggregateWhere(tie: fc.LetrecTypedTie<Kinds>, written: readonly string[]): fc.Arbitrary<Syntax> {
  return of(written).chain((one) => {
    const whole = aggregate(one) as Syntax & { kind: 'call' };
    const { path } = whole.args[0] as Syntax & { kind: 'property' };
    const last = path.findLastIndex((name) => OF_EACH.has(name));
    const prefix = path.slice(0, last + 1).join('.');
    const each = (kind: 'words' | 'numbers') => of(OF_EACH.get(path[last]!)![kind]).map((name) => within(prefix, name));
    const compared = oneOf(
      { depthSize: 'small' },
      comparisons(oneOf(each('words'), tie('words'))),
      comparisons(oneOf(each('numbers'), tie('numbers'))),
      comparisons(each('numbers')),
      fc.tuple(each('words'), patterns).map(([word, pattern]) => call('like', word, text(pattern))),
      oneOf(each('words'), each('numbers')).map((value) => call('isNull', value)),
      tie('conditions'),
    );
    const condition = oneOf(
      compared,
      fc.tuple(of(['and', 'or']), compared, compared).map(([op, a, b]) => call(op, a, b)),
      compared.map((value) => call('not', value)),
    );
    return condition
      .filter((where) => !namesAgain(where, prefix) && conditionDepth(where) < 2)
      .map((where) => ({ ...whole, args: [...whole.args, where] }));
  });
}

/** Whether what is meant of the record itself begins like what is meant of each of the many. */
function namesAgain(syntax: Syntax, prefix: string): boolean {
  if (syntax.kind === 'property') return syntax.spot !== EACH && `${syntax.path.join('.')}.`.startsWith(`${prefix}.`);
  if (syntax.kind === 'interval') return syntax.ends.some((end) => namesAgain(end, prefix));
  if (syntax.kind === 'list') return syntax.items.some((item) => namesAgain(item, prefix));
  return syntax.kind === 'call' && syntax.args.some((arg) => namesAgain(arg, prefix));
}

/** How deep conditions over each of many stand in each other. */
export function conditionDepth(syntax: Syntax): number {
  if (syntax.kind === 'list') return Math.max(0, ...syntax.items.map(conditionDepth));
  if (syntax.kind !== 'call') return 0;
  const isOne = ['count', 'exists', 'sum', 'min', 'max'].includes(syntax.op) && syntax.args.length === 2;
  return Math.max(0, ...syntax.args.map(conditionDepth)) + (isOne ? 1 : 0);
}

/** The place of names that are meant of each of the many. */
const EACH = { from: 0, to: 0 };

function within(prefix: string, written: string): Syntax {
  const each = (path: string): Syntax => ({ ...property(`${prefix}.${path}`), spot: EACH });
  if (!written.includes('(')) return each(written);
  const { op, args } = aggregate(written) as Syntax & { kind: 'call' };
  return call(op, each((args[0] as Syntax & { kind: 'property' }).path.join('.')));
}

export const conditions: fc.Arbitrary<Syntax> = kinds.conditions;
export const numbers: fc.Arbitrary<Syntax> = kinds.numbers;
export const words: fc.Arbitrary<Syntax> = kinds.words;

const orNull = <Value>(values: readonly Value[]) => fc.option(of(values), { freq: 5 });

/** A thing without its key and its relations. */
export const things = fc.record({
  word: orNull(WORDS),
  other: orNull(WORDS),
  kind: orNull(['red', 'green', 'blue']),
  whole: orNull(WHOLES),
  count: orNull(WHOLES.slice(0, 8)),
  real: orNull(REALS),
  price: orNull(PRICES),
  exact: orNull(['0.00000', '3.14159', '-0.00001', '9999999999999.99999']),
  flag: orNull([true, false]),
  day: orNull(DAYS),
  at: orNull(MOMENTS),
  time: orNull(TIMES),
  code: orNull(CODES),
  tags: orNull([[], ['a'], ['a', 'ab'], ['stove', 'a', 'É']]),
  sizes: orNull([[], [1], [1, 2, 7]]),
  costs: orNull([[], ['12.50'], ['1.00', '12.50']]),
  place: orNull([{}, { lat: 1.5, name: 'É', cost: '12.50', deep: { n: 7 } }, { lat: null, name: null, cost: '-0.05' }]),
  any: orNull([
    1,
    'a',
    true,
    [],
    [{ a: 1 }],
    { a: null },
    ...INSIDES.map((a) => ({ a, 'b c': { é: a, "it's": 'É' } })),
  ]),
});

export const notes = fc.record({
  cost: orNull(PRICES),
  size: orNull(WHOLES),
  ratio: orNull(REALS),
  on: orNull(DAYS),
});
