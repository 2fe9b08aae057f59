import type { ModelDeclaration } from '../declaration/declarations.ts';
import { usualEndpoints } from '../declaration/model-shape.ts';
import type { EndpointName } from '../model/model.ts';
import { tableOf } from '../text/names.ts';
import { own } from '../text/own.ts';
import { isComparable, stampColumns } from './taken.ts';
import type { AdoptionNote, Taken } from './taken.ts';

/** The declaration of a model, once all that it holds is known. */
export function declaredModel(one: Taken, notes: AdoptionNote[]): ModelDeclaration {
  const { table, name, fields, relations } = one;
  const model = {
    model: name,
    ...(tableOf({ model: name }) === table.name ? {} : { table: table.name }),
    ...(table.comment === undefined ? {} : { description: table.comment }),
    ...keyOfModel(one),
    ...stampsOfModel(one),
    ...(Object.keys(fields).length === 0 ? {} : { fields }),
    ...(Object.keys(relations).length === 0 ? {} : { relations }),
    ...setsOf('unique', one, table.unique),
    ...setsOf('index', one, table.indexes),
  };
  const endpoints = endpointsOf(one, notes);
  return { ...model, ...(endpoints === undefined ? {} : { endpoints }) };
}

function keyOfModel({ key: { made, columns }, keyName, memberOf }: Taken): Pick<ModelDeclaration, 'key'> {
  const members = [...new Set(columns.map(({ name }) => memberOf.get(name)!))];
  const [member, column] = [members[0]!, columns[0]!];
  if (columns.length > 1) return { key: keyName === 'id' ? members : { fields: members, name: keyName } };
  if (made === undefined) return { key: member };
  if (member === 'id' && column.name === 'id') return made === 'uuid' ? {} : { key: made };
  return { key: { type: made, name: member, ...(column.name === member ? {} : { column: column.name }) } };
}

function stampsOfModel({ table, memberOf }: Taken): Pick<ModelDeclaration, 'stamps'> {
  const stamps = Object.entries(stampColumns(table)).map(([which, { name }]) => {
    const member = memberOf.get(name)!;
    return [which, member === name ? member : { name: member, column: name }] as const;
  });
  if (stamps.length === 0) return { stamps: false };
  const isUsual = stamps.length === 2 && stamps[0]![1] === 'created_at' && stamps[1]![1] === 'updated_at';
  return isUsual ? {} : { stamps: Object.fromEntries(stamps) };
}

/** Sets of members that are unique, or looked up, together. */
function setsOf(
  what: 'unique' | 'index',
  { memberOf, relations, fields, key, joined }: Taken,
  sets: readonly (readonly string[])[],
): Partial<Record<'unique' | 'index', string[][]>> {
  const found = sets.flatMap((columns) => {
    const members = columns.map((column) => memberOf.get(column));
    const isUnfit = (member: string): boolean => {
      const field = own(fields, member);
      return field !== undefined && !isComparable(field);
    };
    if (members.some((member) => member === undefined || isUnfit(member))) return [];
    // A reference by several columns stands for all of them.
    const isPart = joined.some((one) => {
      const some = one.columns.filter(({ name }) => columns.includes(name)).length;
      return some > 0 && some < one.columns.length;
    });
    const isKey = columns.length === key.columns.length && key.columns.every(({ name }) => columns.includes(name));
    const [only, ...more] = new Set(members);
    if (only === undefined || isPart || isKey) return [];
    if (more.length > 0) return [[only, ...(more as string[])]];
    // A single field says it itself; of a relation, its other end says it.
    return what === 'index' && relations[only] === undefined ? [[only]] : [];
  });
  return found.length === 0 ? {} : { [what]: found };
}

/** What may be done with the records; undefined for everything. */
function endpointsOf({ table, key, memberOf }: Taken, notes: AdoptionNote[]): readonly EndpointName[] | undefined {
  if (table.isView || key.isByChance) return ['list'];
  const { may } = table;
  const unset = table.columns.find(
    (column) =>
      !memberOf.has(column.name) && !column.nullable && column.preset === undefined && column.made === undefined,
  );
  if (unset !== undefined && may.insert)
    notes.push({
      at: table.name,
      what: 'changed',
      text: `no record can be made: ${unset.name} is left out, and must have a value`,
    });
  const insert = may.insert && unset === undefined;
  const all: readonly (readonly [EndpointName, boolean])[] = [
    ['list', true],
    ['read', true],
    ['create', insert],
    ['replace', insert && may.update],
    ['update', may.update],
    ['delete', may.delete],
  ];
  const some = all.flatMap(([name, is]) => (is ? [name] : []));
  return some.length === usualEndpoints.length ? undefined : some;
}
