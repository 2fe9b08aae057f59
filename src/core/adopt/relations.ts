import type { RelationDeclaration } from '../declaration/declarations.ts';
import { isSqlName } from '../declaration/model-shape.ts';
import { columnCalled } from '../tables/catalogue.ts';
import type { CatalogueColumn, CatalogueReference, CatalogueTable } from '../tables/catalogue.ts';
import { pluralOf, singularOf, underscored } from '../text/names.ts';
import { manyOf, memberNameOf, relationNameOf } from './names.ts';
import type { AdoptionNote, JoinedReference, Taken } from './taken.ts';
import { soleColumn } from './usable.ts';
import type { UsableKey } from './usable.ts';

/** The model that a column refers to by its key; undefined where it can't be a relation. */
export function targetOf(
  { table, key }: Taken,
  column: string,
  taken: ReadonlyMap<string, Taken>,
): Referred | undefined {
  const reference = table.references.find(({ columns }) => columns.length === 1 && columns[0] === column);
  const target = reference && taken.get(reference.table);
  if (target === undefined || soleColumn(key)?.name === column || target.key.isByChance) return undefined;
  const [to = target.table.key[0]] = reference!.key;
  return to === soleColumn(target.key)?.name ? { target, reference: reference! } : undefined;
}

/**
 * The references of a table to keys of several columns that can be relations: none has a column of another, all of
 * their columns may be null or none, and they are all in the table's own key or none, which they don't make alone.
 */
export function joinedReferences(
  table: CatalogueTable,
  key: UsableKey,
  keyOfTable: (table: string) => UsableKey | undefined,
): JoinedReference[] {
  const own = new Set(key.columns.map(({ name }) => name));
  const used = new Set<string>();
  return table.references.flatMap((reference): JoinedReference[] => {
    const target = keyOfTable(reference.table);
    if (reference.columns.length < 2 || target?.columns.length !== reference.columns.length) return [];
    const keys = reference.key.length > 0 ? reference.key : target.columns.map(({ name }) => name);
    const columns = target.columns
      .map(({ name }) => columnCalled(table, reference.columns[keys.indexOf(name)] ?? ''))
      .filter((column) => column !== undefined);
    const inKey = columns.filter(({ name }) => own.has(name)).length;
    const nulls = columns.filter(({ nullable }) => nullable).length;
    const isFit =
      columns.length === reference.columns.length &&
      columns.every(({ name, kind }) => kind !== undefined && isSqlName(name) && !used.has(name)) &&
      (nulls === 0 || nulls === columns.length) &&
      (inKey === 0 || (inKey === columns.length && own.size > inKey));
    if (!isFit) return [];
    columns.forEach(({ name }) => used.add(name));
    return [{ reference, columns }];
  });
}

/** Such a reference as a relation. */
export function joinedRelation(
  { reference, columns }: JoinedReference,
  target: Taken,
  isOfKey: boolean,
): RelationDeclaration {
  const { onDelete } = reference;
  const isFull = columns.every(({ nullable }) => !nullable);
  return {
    to: target.name,
    ...(isFull && !isOfKey ? { required: true } : {}),
    ...(onDelete === 'restrict' || (onDelete === 'clear' && isFull) ? {} : { onDelete }),
    columns: columns.map((column) => column.name),
  };
}

interface Referred {
  readonly target: Taken;
  readonly reference: CatalogueReference;
}

export function relationOf(
  { name: column, nullable, comment }: CatalogueColumn,
  name: string,
  { target, reference }: Referred,
  isOfKey: boolean,
): RelationDeclaration {
  const { onDelete } = reference;
  return {
    to: target.name,
    ...(comment === undefined ? {} : { description: comment }),
    ...(nullable ? {} : { required: true }),
    ...(onDelete === 'restrict' || (onDelete === 'clear' && !nullable) ? {} : { onDelete }),
    ...(isOfKey ? { immutable: true } : {}),
    ...(column === `${name}_id` ? {} : { column }),
  };
}

/** A reference that is no relation, and why. */
export function noteReference(
  { table, key }: Taken,
  { name }: CatalogueColumn,
  taken: ReadonlyMap<string, Taken>,
  notes: AdoptionNote[],
): void {
  const found = table.references.find(({ columns }) => columns.includes(name));
  if (found?.columns[0] !== name) return;
  const isOwn =
    soleColumn(key)?.name === name || found.columns.every((one) => key.columns.some((own) => own.name === one));
  const why = !taken.has(found.table)
    ? `refers to ${found.table}, which is left out`
    : isOwn
      ? `refers to ${found.table}, and is the key as well`
      : found.columns.length > 1
        ? `refers to ${found.table} by ${found.columns.length} columns, some of which ` +
          'may be null, or stand in another relation'
        : `refers to ${found.table} by another column than its key`;
  notes.push({ at: `${table.name}.${name}`, what: 'changed', text: `${why}: a field, no relation` });
}

const MARKED = /_(id|no|nr|key|code|uuid)$/;

/** A column that is called like a reference to another table, where the database declares none. */
export function noteLikely(
  one: Taken,
  column: CatalogueColumn,
  taken: ReadonlyMap<string, Taken>,
  notes: AdoptionNote[],
): void {
  if (one.table.references.some(({ columns }) => columns.includes(column.name))) return;
  const member = memberNameOf(column.name);
  if (!MARKED.test(member)) return;
  const name = relationNameOf(column.name);
  const likely = [...taken.values()].filter((other) => {
    const sole = soleColumn(other.key);
    if (other === one || sole === undefined || other.key.isByChance || sole.kind?.type !== column.kind?.type)
      return false;
    return underscored(other.name) === name || memberNameOf(sole.name) === member;
  });
  const [target, ...others] = likely;
  if (target === undefined || others.length > 0) return;
  const called = column.name === `${name}_id` ? '' : `, column: ${column.name}`;
  const relation = `${name}: { to: ${target.name}${called} }`;
  const text = `looks like a reference to ${target.table.name}; as a relation: ${relation}`;
  notes.push({ at: `${one.table.name}.${column.name}`, what: 'look', text });
}

/** A reference by a column that is in a relation of several. */
export function noteShared({ table, memberOf }: Taken, { name }: CatalogueColumn, notes: AdoptionNote[]): void {
  const found = table.references.find(({ columns }) => columns.length === 1 && columns[0] === name);
  if (found === undefined) return;
  const text = `refers to ${found.table} as well: it is a part of the relation ${memberOf.get(name)}`;
  notes.push({ at: `${table.name}.${name}`, what: 'changed', text });
}

/** The other ends of the relations that lead to a model. */
export function addReverses(one: Taken, taken: ReadonlyMap<string, Taken>): void {
  for (const source of taken.values()) {
    const leading = Object.entries(source.relations).filter(([, { to }]) => to === one.name);
    for (const [relation] of leading) {
      const columns = [...source.memberOf].flatMap(([column, member]) => (member === relation ? [column] : []));
      const isOne =
        columns.length === 1
          ? source.single.has(columns[0]!)
          : source.table.unique.some((set) => isSameSet(set, columns));
      const many = isOne ? underscored(source.name) : manyOf(source.name);
      const isPlain = leading.length === 1 && source !== one;
      const name = one.names.take(isPlain ? many : `${many}_as_${relation}`, (other) => [`${other}_id`]);
      one.relations[name] = { from: `${source.name}.${relation}`, ...(isOne ? { one: true } : {}) };
    }
  }
}

const isSameSet = (one: readonly string[], other: readonly string[]): boolean =>
  one.length === other.length && one.every((name) => other.includes(name));

/** Whether a table of pairs is one of records that its columns refer to by their keys. */
export const isLinking = (
  { references }: CatalogueTable,
  keyOfTable: (table: string) => UsableKey | undefined,
  keyColumns: (table: string) => readonly string[],
): boolean =>
  references.every(({ table, key }) => {
    const target = keyOfTable(table);
    return target !== undefined && (key[0] ?? keyColumns(table)[0]) === soleColumn(target)?.name;
  });

/** A table of pairs as a many-to-many relation of the record that its first column is of, and its other end. */
export function addLinks(table: CatalogueTable, taken: ReadonlyMap<string, Taken>, notes: AdoptionNote[]): void {
  const [first, second] = [...table.references].sort(
    (a, b) =>
      table.columns.findIndex(({ name }) => name === a.columns[0]) -
      table.columns.findIndex(({ name }) => name === b.columns[0]),
  );
  const [one, other] = [first!, second!].map((end) => taken.get(end.table));
  if (one === undefined || other === undefined) {
    notes.push({ at: table.name, what: 'left out', text: 'links of tables that are left out' });
    return;
  }
  if ([first!, second!].some(({ onDelete }) => onDelete !== 'cascade'))
    notes.push({
      at: table.name,
      what: 'changed',
      text: 'a link stands in the way of a delete: the database keeps it',
    });
  const [own, far] = [first!.columns[0]!, second!.columns[0]!];
  const plain = one === other ? pluralOf(relationNameOf(far)) : manyOf(other.name);
  const ids = (name: string): string[] => [`${singularOf(name)}_ids`];
  const name = one.names.take(plain, ids);
  one.relations[name] = { with: other.name, table: table.name, columns: { own, other: far } };
  const back = one === other ? `${pluralOf(relationNameOf(own))}` : manyOf(one.name);
  const reverse = other.names.take(back, ids);
  other.relations[reverse] = { from: `${one.name}.${name}` };
}
