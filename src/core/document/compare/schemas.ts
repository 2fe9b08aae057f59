import { isRecord } from '../../text/value.ts';
import { listOf, mapOf, resolved } from './resolve.ts';
import type { Tree } from './resolve.ts';

/** Whether values go to the service, where fewer of them are a break, or come from it, where more are. */
export type Way = 'request' | 'response';

/** `what` begins with its place, `depth` components deep. */
export type Note = (what: string, breaking: boolean, depth: number) => void;

/** Two schemas, each in its own document. */
export interface Pair {
  readonly documents: { readonly before: Tree; readonly after: Tree };
  readonly way: Way;
  readonly note: Note;
  /** In how many components, one inside the other, they stand. */
  readonly depth: number;
}

/**
 * Reports the changes between two schemas. `place` is a JSON Pointer into the values, after the name of the component
 * that it begins in, so that a schema used in many places is reported once.
 */
export function compareSchemas(
  around: Pair,
  before: unknown,
  after: unknown,
  place: string,
  open = new Set<string>(),
): void {
  const { documents, note, way } = around;
  const [old, now] = [choicesOf(documents.before, before), choicesOf(documents.after, after)];
  const [was, is] = [nameOf(before), nameOf(after)];
  if (was !== undefined && is !== undefined) {
    // A schema may contain itself; by then it has been reported.
    const key = `${was} ${is}`;
    if (open.has(key)) return;
    open.add(key);
  }
  const pair = is === undefined ? around : { ...around, depth: around.depth + 1 };
  const at = is === undefined ? place : `${is} `;
  if (old.isNull !== now.isNull)
    note(`${spaced(place)}may${now.isNull ? '' : ' not'} be null now`, now.isNull === (way === 'response'), pair.depth);
  if (old.choices.length > 1 || now.choices.length > 1) compareChoices(pair, old.choices, now.choices, at, open);
  else if (old.choices[0] !== undefined && now.choices[0] !== undefined) {
    const [one, other] = [old.choices[0], now.choices[0]];
    // Besides null there is one form, which may be named.
    if (is === undefined && one.name !== undefined && other.name !== undefined)
      compareSchemas(pair, one.given, other.given, at, open);
    else compareOne(pair, one.schema, other.schema, at, open);
  }
}

const spaced = (place: string): string => (place === '' ? '' : `${place.trim()} `);

interface Choice {
  /** What it is called in its document; undefined where it has no name. */
  readonly name: string | undefined;
  /** As in its document: perhaps a reference. */
  readonly given: unknown;
  readonly schema: Tree;
}

const nameOf = (schema: unknown): string | undefined =>
  isRecord(schema) && typeof schema.$ref === 'string' ? schema.$ref.split('/').at(-1) : undefined;

/** What a schema allows: null, and one or more schemas that are not null. */
function choicesOf(document: Tree, given: unknown): { isNull: boolean; choices: Choice[] } {
  const schema = resolved(document, given);
  const alternatives = listOf(schema.anyOf ?? schema.oneOf);
  // Beside `type`, alternatives narrow what is there, and are compared as they stand.
  if (alternatives.length === 0 || schema.type !== undefined) {
    const types = typesOf(schema);
    const isNull = types === undefined ? listOf(schema.enum).includes(null) : types.has('null');
    return types?.size === 1 && types.has('null')
      ? { isNull: true, choices: [] }
      : { isNull, choices: [{ name: nameOf(given), given, schema }] };
  }
  const all = alternatives.map((one) => choicesOf(document, one));
  const isNull = all.some((one) => one.isNull);
  const choices = all.flatMap((one, index) =>
    one.choices.map((choice) => ({ ...choice, name: choice.name ?? nameOf(alternatives[index]) })),
  );
  return { isNull, choices };
}

function compareChoices(
  pair: Pair,
  old: readonly Choice[],
  now: readonly Choice[],
  place: string,
  open: Set<string>,
): void {
  const { note, way } = pair;
  const twin = (one: Choice, others: readonly Choice[], index: number): Choice | undefined =>
    one.name === undefined
      ? others.filter(({ name }) => name === undefined)[index]
      : others.find(({ name }) => name === one.name);
  const nameless = (list: readonly Choice[], choice: Choice): number =>
    list.filter(({ name }) => name === undefined).indexOf(choice);
  for (const choice of old) {
    const other = twin(choice, now, nameless(old, choice));
    if (other !== undefined) compareSchemas(pair, choice.given, other.given, place, open);
    else note(`${spaced(place)}${choice.name ?? 'one of several forms'} is gone`, way === 'request', pair.depth);
  }
  for (const choice of now) {
    if (twin(choice, old, nameless(now, choice)) !== undefined) continue;
    // A view is shown on request only, and nobody has requested a new one.
    const isView = choice.name?.includes('.view.') === true;
    note(`${spaced(place)}${choice.name ?? 'another form'} is new`, way === 'response' && !isView, pair.depth);
  }
}

/** Bounds: which direction is tighter, and the words for it. */
const BOUNDS: readonly (readonly [string, 1 | -1, string])[] = [
  ['minimum', 1, 'at least'],
  ['exclusiveMinimum', 1, 'more than'],
  ['minLength', 1, 'characters or more:'],
  ['minItems', 1, 'items or more:'],
  ['maximum', -1, 'at most'],
  ['exclusiveMaximum', -1, 'less than'],
  ['maxLength', -1, 'characters or fewer:'],
  ['maxItems', -1, 'items or fewer:'],
];

function compareOne(pair: Pair, old: Tree, now: Tree, place: string, open: Set<string>): void {
  const { note, way } = pair;
  const isRequest = way === 'request';
  const tell = (what: string, breaking: boolean): void => note(`${spaced(place)}${what}`, breaking, pair.depth);
  compareTypes(old, now, isRequest, tell);
  compareValues(old, now, isRequest, tell);
  for (const [keyword, tighter, words] of BOUNDS) {
    const [was, is] = [old[keyword], now[keyword]] as (number | undefined)[];
    if (was === is) continue;
    const isTighter = was === undefined || (is !== undefined && (is - was) * tighter > 0);
    // Answers that become longer or greater are still of the form that they were.
    tell(`${words} ${is ?? 'anything'} now, was ${was ?? 'anything'}`, isTighter && isRequest);
  }
  for (const keyword of ['pattern', 'format', 'multipleOf', 'uniqueItems']) {
    if (JSON.stringify(old[keyword]) === JSON.stringify(now[keyword])) continue;
    const is = now[keyword] === undefined ? `${keyword} is gone` : `${keyword} is ${JSON.stringify(now[keyword])} now`;
    tell(is, isRequest ? now[keyword] !== undefined : keyword === 'format');
  }
  if (JSON.stringify(old.default) !== JSON.stringify(now.default))
    tell(
      `left out means ${JSON.stringify(now.default) ?? 'nothing'} now, was ${JSON.stringify(old.default) ?? 'nothing'}`,
      false,
    );
  if (now.deprecated === true && old.deprecated !== true) tell('is deprecated now', false);
  compareMembers(pair, old, now, place, open);
  const [was, is] = [old, now].map(({ anyOf }) =>
    listOf(anyOf).map((one) => ({ name: nameOf(one), given: one, schema: one as Tree })),
  );
  if (was!.length > 0 || is!.length > 0) compareChoices(pair, was!, is!, place, open);
  if (isRecord(old.items) && isRecord(now.items)) compareSchemas(pair, old.items, now.items, `${place}/0`, open);
  if (isRecord(old.additionalProperties) && isRecord(now.additionalProperties))
    compareSchemas(pair, old.additionalProperties, now.additionalProperties, `${place}/*`, open);
}

type Tell = (what: string, breaking: boolean) => void;

const typesOf = ({ type }: Tree): ReadonlySet<string> | undefined =>
  type === undefined ? undefined : new Set((Array.isArray(type) ? type : [type]) as string[]);

function compareTypes(old: Tree, now: Tree, isRequest: boolean, tell: Tell): void {
  const [was, is] = [old, now].map(typesOf);
  const [gone, come] = [without(was, is), without(is, was)];
  // Null has been reported.
  if (was === undefined && is !== undefined) tell(`is ${[...is].join(' or ')} now, was anything`, isRequest);
  else if (was !== undefined && is === undefined) tell(`is anything now, was ${[...was].join(' or ')}`, !isRequest);
  else if (gone.length > 0 || come.length > 0)
    tell(
      `is ${[...is!].join(' or ')} now, was ${[...was!].join(' or ')}`,
      isRequest ? gone.length > 0 : come.length > 0,
    );
}

function without(from: ReadonlySet<string> | undefined, other: ReadonlySet<string> | undefined): string[] {
  if (from === undefined || other === undefined) return [];
  // Every integer is a number.
  return [...from].filter(
    (type) => type !== 'null' && !other.has(type) && !(type === 'integer' && other.has('number')),
  );
}

function compareValues(old: Tree, now: Tree, isRequest: boolean, tell: Tell): void {
  const valuesOf = ({ enum: all, const: only }: Tree): string[] | undefined =>
    (all ?? (only === undefined ? undefined : [only])) === undefined
      ? undefined
      : listOf(all ?? [only])
          .filter((value) => value !== null)
          .map((value) => JSON.stringify(value));
  const [was, is] = [old, now].map(valuesOf);
  if (was === undefined && is !== undefined) tell(`is one of ${is.join(', ')} now, was anything`, isRequest);
  else if (was !== undefined && is === undefined) tell(`is anything now, was one of ${was.join(', ')}`, !isRequest);
  else if (was !== undefined && is !== undefined) {
    const [gone, come] = [was.filter((value) => !is.includes(value)), is.filter((value) => !was.includes(value))];
    if (gone.length > 0) tell(`can not be ${gone.join(', ')} any more`, isRequest);
    if (come.length > 0) tell(`may be ${come.join(', ')} too`, !isRequest);
  }
}

function compareMembers(pair: Pair, old: Tree, now: Tree, place: string, open: Set<string>): void {
  const { note, way } = pair;
  const [was, is] = [old, now].map(({ properties }) => new Map(mapOf(properties)));
  const [needed, needs] = [old, now].map(({ required }) => new Set(listOf(required)));
  for (const [name, schema] of was!) {
    const at = `${place}/${name}`;
    if (!is!.has(name)) {
      // Where anything is allowed, a removed member still is.
      note(`${at} is gone`, way === 'response' || now.additionalProperties === false, pair.depth);
      continue;
    }
    if (needed!.has(name) !== needs!.has(name)) {
      const isNeeded = needs!.has(name);
      const what =
        way === 'request'
          ? `${isNeeded ? 'must' : 'need not'} be given now`
          : isNeeded
            ? 'is always there now'
            : 'may be missing now';
      note(`${at} ${what}`, isNeeded === (way === 'request'), pair.depth);
    }
    compareSchemas(pair, schema, is!.get(name), at, open);
  }
  for (const name of is!.keys()) {
    if (was!.has(name)) continue;
    const isNeeded = way === 'request' && needs!.has(name);
    note(`${place}/${name} is new${isNeeded ? ', and must be given' : ''}`, isNeeded, pair.depth);
  }
}
