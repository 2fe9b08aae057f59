import type { Field, ValueSpec } from '../../model/field.ts';
import type { Model } from '../../model/model.ts';
import { relatedNames } from '../../model/related.ts';
import type { FieldValue } from '../../model/scalar.ts';
import { isScalar } from '../../model/types.ts';
import { filterable, sortable } from '../../query/listable.ts';
import type { Answer, Fault } from '../answer.ts';
import type { Case, Step } from '../case.ts';
import { recordFaults, recordsOf, relatedCalled, totalFaults } from '../compare.ts';
import { literal, parameterText, quote } from '../cql-text.ts';
import { faultOf } from '../judge.ts';
import { compared, comparedByKey, comparedIn } from '../oracle/order.ts';
import type { Row } from '../oracle/world-state.ts';
import { keyText, pathOf, queryOf } from '../paths.ts';
import type { World } from '../world.ts';

/** Pages are of so few records that there are several, and not so many that it takes long. */
const pageOf = (rows: readonly unknown[], most: number): string =>
  String(Math.min(most, Math.max(2, Math.ceil(rows.length / 4))));

/** Every filter, order, page and related record of a model's lists, compared with the same worked out in JavaScript. */
export function deriveReading(world: World, model: Model): Case[] {
  const { graph } = world;
  const cases: Case[] = [];
  const rows = world.rowsOf(model);
  if (!model.endpoints.has('list') || rows.length === 0) return cases;
  const derivation: ReadingCases = {
    world,
    model,
    rows,
    key: model.key.member,
    most: graph.service.paging.most,
    add: (title, ...steps) => void cases.push({ model: model.name, endpoint: 'list', title, steps }),
    list: (parameters, check, pages = true) => ({
      method: 'GET',
      path: pathOf(graph, model) + queryOf(parameters),
      pages,
      expect: { status: 200, check },
    }),
  };
  deriveMembers(derivation);
  deriveFilters(derivation);
  for (const member of sortable(model)) deriveOrder(derivation, member);
  deriveTotals(derivation);
  deriveRelated(derivation);
  return cases;
}

/** What the cases of one model's lists are derived with. */
interface ReadingCases {
  readonly world: World;
  readonly model: Model;
  readonly rows: readonly Row[];
  /** The member of the key. */
  readonly key: string;
  /** The largest page. */
  readonly most: number;
  add(title: string, ...steps: Step[]): void;
  /** Reads a list, every page of it unless `pages` is false. */
  list(
    parameters: Readonly<Record<string, string>>,
    check: (answer: Answer) => readonly Fault[],
    pages?: boolean,
  ): Step;
}

/** Views and `fields` choose the members of records. */
function deriveMembers({ model, key, add, list }: ReadingCases): void {
  for (const [view, members] of model.views) {
    const names = members
      .map(({ name }) => name)
      .sort()
      .join();
    const check = (answer: Answer): readonly Fault[] => {
      const shown = recordsOf(answer).map((record) => Object.keys(record).sort().join());
      const other = shown.find((one) => one !== names);
      return other === undefined ? [] : [faultOf(`the members in the view ${view}`, names, other)];
    };
    add(`the view ${view} shows its members`, list({ view, limit: '3' }, check, false));
  }
  const chosen = model.shown
    .filter(({ member }) => member !== key)
    .slice(0, 2)
    .map(({ member }) => member);
  const exactly = (answer: Answer): readonly Fault[] => {
    const other = recordsOf(answer)
      .map((record) => Object.keys(record).join())
      .find((one) => one !== chosen.join());
    return other === undefined ? [] : [faultOf('the members of a record', chosen, other)];
  };
  if (chosen.length > 0)
    add('fields names exactly what is shown', list({ fields: chosen.join(), limit: '3' }, exactly, false));
}

function deriveFilters({ world, model, rows, key, most, add, list }: ReadingCases): void {
  const finds = (wanted: readonly Row[]) => (answer: Answer) =>
    recordFaults('the records that are found', model, answer, wanted);
  const page = { fields: key, limit: String(most) };
  for (const condition of conditionsOf(world, model)) {
    add(`filter ${condition}`, list({ filter: condition, ...page }, finds(world.matching(model, condition))));
  }
  for (const field of filterable(model)) {
    const value = middleOf(valuesOf(world, model, field));
    if (value === null) continue;
    const wanted = rows.filter((row) => row[field.member] === value);
    add(`${field.member} equal to a value`, list({ [field.member]: parameterText(value), ...page }, finds(wanted)));
  }
}

function deriveOrder({ world, model, rows, key, most, add, list }: ReadingCases, member: string): void {
  const spec = model.byMember.get(member) ?? model.computed.find((one) => one.member === member)!;
  for (const descending of [false, true]) {
    const ordered = inOrder(world, model, member, spec, descending);
    const check = (answer: Answer): readonly Fault[] => {
      const [there, back] = [recordsOf(answer), (answer.body as { back: Row[] }).back].map((all) =>
        all.map((row) => keyText(model, row)),
      );
      const expected = ordered.map((row) => keyText(model, row));
      if (there!.join() !== expected.join()) return [faultOf('the order, page by page', expected, there)];
      return back!.join() === expected.join() ? [] : [faultOf('the order, page by page backwards', expected, back)];
    };
    add(
      `every page ${descending ? 'falling' : 'rising'} by ${member}, there and back`,
      list({ sort: descending ? `-${member}` : member, fields: key, limit: pageOf(rows, most) }, check),
    );
  }
}

function deriveTotals({ world, model, rows, key, add, list }: ReadingCases): void {
  add(
    'the total counts all records',
    list({ total: 'true', limit: '1' }, (answer) => totalFaults('the total', answer, rows.length), false),
  );
  const second = [...world.rowsOf(model)]
    .sort((one, other) => comparedByKey(model, one, other, false))
    .slice(1, 3)
    .map((row) => keyText(model, row));
  const passed = (answer: Answer): readonly Fault[] => {
    const found = recordsOf(answer).map((row) => keyText(model, row));
    return found.join() === second.join() ? [] : [faultOf('the records after the first', second, found)];
  };
  add('an offset passes records over', list({ sort: key, offset: '1', limit: '2', fields: key }, passed, false));
}

function deriveRelated({ world, model, most, add, list }: ReadingCases): void {
  const limit = String(Math.min(most, 20));
  for (const relation of relatedNames(model)) {
    const check = (answer: Answer): readonly Fault[] => relatedFaults(world, model, relation, recordsOf(answer));
    add(`${relation} brings the records that belong`, list({ include: relation, limit }, check, false));
  }
}

function relatedFaults(world: World, model: Model, relation: string, shown: readonly Row[]): Fault[] {
  const related = relatedCalled(world.graph, model, relation);
  const byKey = new Map(world.rowsOf(model).map((row) => [keyText(model, row), row]));
  return shown.flatMap((record): Fault[] => {
    const row = byKey.get(keyText(model, record));
    if (row === undefined) return [faultOf('a record of the list', 'one of the samples', record)];
    return related.faults(keyText(model, row), record, world.oracle.related(model, related.via, row));
  });
}

type Valued = ValueSpec & { readonly member: string };

/** The values that records have of a member, in the order of its type. */
function valuesOf(world: World, model: Model, spec: Valued): FieldValue[] {
  const values = world
    .rowsOf(model)
    .map((row) => world.valueOf(model, spec.member, row))
    .filter((value) => value !== null);
  return values.sort((one, other) => compared(spec, one, other));
}

/** A value that some records have, and that others lie on both sides of. */
const middleOf = (ordered: readonly FieldValue[]): FieldValue => ordered[Math.floor(ordered.length / 2)] ?? null;

/** Conditions over every member that has an order or a text, each operator in turn. */
function conditionsOf(world: World, model: Model): string[] {
  const scalars = [...model.shown, ...model.computed].filter(({ type }) => isScalar(type));
  const conditions = scalars.flatMap((spec) => {
    const { member, type } = spec;
    const name = `"${member}"`;
    const values = valuesOf(world, model, spec);
    const [value, lowest] = [middleOf(values), values[0] ?? null];
    if (value === null || lowest === null) return [`${name} IS NULL`, `${name} IS NOT NULL`];
    const [it, low] = [literal(spec, value), literal(spec, lowest)];
    const always = [
      `${name} = ${it}`,
      `${name} <> ${it}`,
      `${name} IS NULL`,
      `${name} IS NOT NULL`,
      `${name} IN (${low}, ${it})`,
      `NOT ${name} = ${low}`,
    ];
    if (type === 'boolean' || type === 'uuid') return always;
    const ordered = [
      `${name} < ${it}`,
      `${name} <= ${it}`,
      `${name} > ${it}`,
      `${name} >= ${it}`,
      `${name} BETWEEN ${low} AND ${it}`,
      `${name} NOT BETWEEN ${low} AND ${it}`,
    ];
    return [...always, ...ordered, ...textConditions(spec, name, value), ...timeConditions(spec, name, it)];
  });
  const lists = model.shown.filter(({ type, items }) => type === 'array' && items!.type === 'string');
  return [...new Set([...conditions, ...lists.flatMap(({ member }) => listConditions(world, model, member))])];
}

function textConditions({ type }: ValueSpec, name: string, value: FieldValue): string[] {
  if ((type !== 'string' && type !== 'text') || typeof value !== 'string' || value === '') return [];
  const begins = value.slice(0, Math.max(1, Math.floor(value.length / 2)));
  const pattern = begins.replaceAll(/[\\%_]/g, '\\$&');
  return [
    `${name} LIKE '${quote(pattern)}%'`,
    `${name} NOT LIKE '${quote(pattern)}%'`,
    `CASEI(${name}) = CASEI('${quote(value.toUpperCase())}')`,
  ];
}

function timeConditions({ type }: ValueSpec, name: string, it: string): string[] {
  if (type !== 'date' && type !== 'date-time') return [];
  const bare = it.replace(/^[A-Z]+\(|\)$/g, '');
  return [`T_AFTER(${name}, ${it})`, `T_BEFORE(${name}, ${it})`, `T_DURING(${name}, INTERVAL(${bare}, '..'))`];
}

function listConditions(world: World, model: Model, member: string): string[] {
  const lists = world.rowsOf(model).flatMap((row) => [(row[member] as readonly string[] | null) ?? []]);
  const longest = [...lists].sort((one, other) => other.length - one.length)[0] ?? [];
  if (longest.length === 0) return [];
  const other = lists.flat().find((item) => !longest.includes(item));
  const of = (items: readonly string[]): string => `(${items.map((item) => `'${quote(item)}'`).join(', ')})`;
  // One of them alone; two that stand together; and two of which one is elsewhere.
  const choices = [longest.slice(0, 1), longest.slice(0, 2), [longest[0]!, other ?? 'none of them']];
  return ['A_CONTAINS', 'A_OVERLAPS', 'A_CONTAINEDBY', 'A_EQUALS'].flatMap((word) =>
    choices.map((items) => `${word}("${member}", ${of(items)})`),
  );
}

/** All records in an order: nulls last either way, and the key where values are alike, in the same direction. */
function inOrder(world: World, model: Model, member: string, spec: Field | ValueSpec, descending: boolean): Row[] {
  return [...world.rowsOf(model)].sort((one, other) => {
    const [left, right] = [one, other].map((row) => world.valueOf(model, member, row));
    return comparedIn(spec, left!, right!, descending) || comparedByKey(model, one, other, descending);
  });
}
