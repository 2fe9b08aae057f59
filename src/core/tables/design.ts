import type { Field, ValueSpec } from '../model/field.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import { byColumn, rising, wantedOrders } from '../model/indexes.ts';
import type { Ordering } from '../model/indexes.ts';
import { keyFields, keySet, partsOf, storedFields } from '../model/joined-key.ts';
import type { Model } from '../model/model.ts';
import type { Links } from '../model/relation.ts';
import { checksOf } from './checks.ts';
import { makeNames } from './names.ts';
import type { Names } from './names.ts';
import type { Column, Index, Shape, Table } from './table.ts';

/** The tables of all models, each after those it refers to, as far as they allow that; then those of links. */
export function designTables(graph: Graph): Table[] {
  const linked = graph.models.flatMap((model) =>
    model.links.filter(({ member }) => member !== undefined).map((links) => ({ model, links })),
  );
  const names = makeNames([...graph.models.map(({ table }) => table), ...linked.map(({ links }) => links.table)]);
  return [
    ...graph.models.map((model) => designTable(graph, model, names)),
    ...linked.map(({ model, links }) => linkTable(graph, model, links, names)),
  ];
}

/** The table of a many-to-many relation: a row for each pair of records. A link goes with either of them. */
function linkTable(graph: Graph, model: Model, { name, target, table, near, far }: Links, names: Names): Table {
  const other = modelOf(graph, target);
  const ends = [
    { member: 'near', column: near, model },
    { member: 'far', column: far, model: other },
  ];
  const both = names([table, 'unique', near, far]);
  const back = names([table, 'by', far]);
  return {
    name: table,
    of: `${model.name}.${name}`,
    columns: ends.map(({ member, column, model: { key } }) => ({
      name: column,
      member,
      type: key.type,
      scale: key.scale,
      nullable: false,
      serial: false,
      ...widthOf(key),
      checks: [],
    })),
    unique: [{ name: both, columns: [near, far], descending: [] }],
    indexes: [{ name: back, columns: [far], descending: [] }],
    references: ends.map(({ column, model: { table: name, key } }) => ({
      column,
      table: name,
      key: key.column,
      onDelete: 'cascade',
    })),
  };
}

function designTable(graph: Graph, model: Model, names: Names): Table {
  const { key } = model;
  const own = keySet(model);
  const sets = model.unique.filter((set) => key.parts === undefined || !set.every((field) => own.includes(field)));
  const unique = sets.map((fields) => indexOf(model, byColumn(rising(fields)), 'unique', names));
  return {
    name: model.table,
    of: model.name,
    columns: storedFields(model).map((field) => ({
      name: field.column,
      member: field.member,
      type: field.type,
      scale: field.scale,
      nullable: !field.rules.required,
      serial: field === model.key && model.keyKind === 'serial',
      ...widthOf(keyReferredTo(graph, model, field)),
      checks: checksOf(field),
      ...(field.items === undefined && field.properties === undefined ? {} : { shape: shapeOf(field) }),
    })),
    ...(key.parts === undefined ? { primaryKey: key.column } : { jointKey: key.parts.map(({ column }) => column) }),
    unique,
    indexes: indexesOf(graph, model, sets, names),
    references: model.relations.map(({ field, target, onDelete }) => {
      const other = modelOf(graph, target);
      const keys = keyFields(other);
      const [first, ...more] = partsOf(field).map(({ column }, at) => ({ column, key: keys[at]!.column }));
      const { column, key } = first!;
      return { column, table: other.table, key, onDelete, ...(more.length === 0 ? {} : { more }) };
    }),
  };
}

/** Databases that set a bound to keys leave room for so many characters. */
const USUAL_WIDTH = 255;

/** What says that a reference to a key needs more room than usual. */
function widthOf(key: Field | undefined): Pick<Column, 'width'> {
  const most = key?.rules.maxLength;
  return most === undefined || most <= USUAL_WIDTH ? {} : { width: most };
}

function keyReferredTo(graph: Graph, model: Model, field: Field): Field | undefined {
  const at = model.relations.findIndex((one) => partsOf(one.field).includes(field));
  if (at < 0) return undefined;
  return keyFields(modelOf(graph, model.relations[at]!.target))[field.partOf?.at ?? 0];
}

function shapeOf({ type, scale, items, properties }: ValueSpec): Shape {
  if (items !== undefined) return { type, scale, items: shapeOf(items) };
  if (properties === undefined) return { type, scale };
  const inside = [...properties].map(
    ([name, spec]) => [name, { ...shapeOf(spec), required: spec.rules.required }] as const,
  );
  return { type, scale, properties: Object.fromEntries(inside) };
}

/** Indexes for the orders that records are wanted in, but none that another one serves. */
function indexesOf(graph: Graph, model: Model, unique: readonly (readonly Field[])[], names: Names): Index[] {
  const orders = wantedOrders(graph, model).filter((keys) => keys.length > 1 || keys[0]!.field !== model.key);
  const there = [...(model.key.parts === undefined ? [] : [model.key.parts]), ...unique];
  const standing = [...there.map((set) => byColumn(rising(set))), ...orders].map(beginning);
  return orders
    .filter((keys, at) => {
      const place = there.length + at;
      const own = beginning(keys);
      return !standing.some(
        (other, index) => index !== place && other.startsWith(own) && (other !== own || index < place),
      );
    })
    .map((keys) => indexOf(model, keys, 'by', names));
}

/** What two orders have in common where the one goes on from the other. Either can be read backward. */
const beginning = (keys: Ordering): string =>
  keys.map(({ field, descending }) => `${descending === keys[0]!.descending ? '+' : '-'}${field.column},`).join('');

function indexOf(model: Model, keys: Ordering, word: string, names: Names): Index {
  const columns = keys.map(({ field }) => field.column);
  const descending = keys.filter((key) => key.descending).map(({ field }) => field.column);
  return { name: names([model.table, word, ...columns]), columns, descending };
}
