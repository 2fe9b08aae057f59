import { createHash } from 'node:crypto';
import type { Field, Graph, Links, Model, SortKey } from '../model/graph.ts';
import { modelOf } from '../model/graph.ts';
import { lettersTable, samplesTable } from './own-tables.ts';
import type { Index, Table } from './table.ts';

/** The shortest limit among the databases that identifiers must fit. */
const LONGEST_NAME = 60;

/** The tables of all models, each after those it refers to, as far as they allow that; then the tool's own. */
export function designTables(graph: Graph): Table[] {
  const own = graph.models.map((model) => designTable(graph, model));
  const links = graph.models.flatMap((model) =>
    model.links.filter(({ member }) => member !== undefined).map((each) => linkTable(graph, model, each)),
  );
  return [...own, ...links, samplesTable, lettersTable];
}

/** The table of a many-to-many relation: a row for each pair of records. A link goes with either of them. */
function linkTable(graph: Graph, model: Model, { target, table, near, far }: Links): Table {
  const other = modelOf(graph, target);
  const ends = [
    { column: near, model },
    { column: far, model: other },
  ];
  const both = shortName([table, 'unique', near, far].join('_'));
  const back = shortName([table, 'by', far].join('_'));
  return {
    name: table,
    columns: ends.map(({ column, model: { key } }) => ({
      name: column,
      type: key.type,
      scale: key.scale,
      nullable: false,
      serial: false,
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

function designTable(graph: Graph, model: Model): Table {
  const unique = model.unique.map((fields) => indexOf(model, rising(fields), 'unique'));
  return {
    name: model.table,
    columns: model.fields.map((field) => ({
      name: field.column,
      type: field.type,
      scale: field.scale,
      nullable: !field.rules.required,
      serial: field === model.key && model.keyKind === 'serial',
    })),
    primaryKey: model.key.column,
    unique,
    indexes: indexesOf(model, unique),
    references: model.relations.map(({ field, target, onDelete }) => {
      const other = modelOf(graph, target);
      return { column: field.column, table: other.table, key: other.key.column, onDelete };
    }),
  };
}

/** Indexes for the declared sets, for every relation and for the default order, but none that stands already. */
function indexesOf(model: Model, unique: readonly Index[]): Index[] {
  const wanted = [
    ...model.indexes.map(rising),
    ...model.relations.map((relation) => rising([relation.field])),
    ...(model.sort.length > 1 ? [model.sort] : []),
  ];
  const begins = (index: Index): string => [...index.columns, ''].join(',');
  const standing = unique.map(begins);
  const indexes: Index[] = [];
  for (const keys of wanted) {
    const index = indexOf(model, keys, 'by');
    const served = index.descending.length === 0 && standing.some((columns) => columns.startsWith(begins(index)));
    if (served || index.columns.join() === model.key.column) continue;
    standing.push(begins(index));
    indexes.push(index);
  }
  return indexes;
}

const rising = (fields: readonly Field[]): SortKey[] => fields.map((field) => ({ field, descending: false }));

function indexOf(model: Model, keys: readonly SortKey[], word: string): Index {
  const columns = keys.map(({ field }) => field.column);
  const descending = keys.filter((key) => key.descending).map(({ field }) => field.column);
  return { name: shortName([model.table, word, ...columns].join('_')), columns, descending };
}

/** A name that every database takes; a long one ends with a mark of the whole. */
function shortName(name: string): string {
  if (name.length <= LONGEST_NAME) return name;
  const mark = createHash('sha256').update(name).digest('hex').slice(0, 8);
  return `${name.slice(0, LONGEST_NAME - 9)}_${mark}`;
}
