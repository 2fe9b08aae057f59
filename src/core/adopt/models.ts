import type { FieldDeclaration, ModelDeclaration } from '../declaration/declarations.ts';
import { isSqlName } from '../declaration/model-shape.ts';
import { tableCalled } from '../tables/catalogue.ts';
import type { Catalogue, CatalogueColumn, CatalogueTable } from '../tables/catalogue.ts';
import { underscored } from '../text/names.ts';
import { checkRules } from './check-rules.ts';
import type { CheckRules } from './check-rules.ts';
import { declaredModel } from './declared-model.ts';
import { adoptedField } from './field.ts';
import { makeNames, memberNameOf, modelNameOf, relationNameOf } from './names.ts';
import {
  addLinks,
  addReverses,
  isLinking,
  joinedReferences,
  joinedRelation,
  noteLikely,
  noteReference,
  noteShared,
  relationOf,
  targetOf,
} from './relations.ts';
import { isComparable, stampColumns } from './taken.ts';
import type { AdoptionNote, Taken } from './taken.ts';
import { foreignTables, isOfLinks, keyOf, soleColumn } from './usable.ts';
import type { UsableKey } from './usable.ts';

/** Models that mirror a database, and what they could not mirror. */
export interface Adopted {
  readonly models: readonly ModelDeclaration[];
  readonly notes: readonly AdoptionNote[];
}

/** What is known beside the catalogue. */
export interface AdoptionFacts {
  /** For tables without a key, a column whose values happen to be different. */
  readonly apart: ReadonlyMap<string, string>;
  /** Whether a table is to become a model. */
  isWanted(table: string): boolean;
  /** Names that models have already. */
  readonly modelNames: readonly string[];
}

/** Names that mean something else to the service, and to JavaScript. */
const RESERVED_MODELS = ['constructor', 'openapi', 'me', 'token', 'session', 'health', 'metric', 'problem'];
const RESERVED_MEMBERS = ['constructor'];

/** Declares a model for each table of a database that one can be made of. */
export function adopt(catalogue: Catalogue, { apart, isWanted, modelNames }: AdoptionFacts): Adopted {
  const notes: AdoptionNote[] = [];
  const wanted = foreignTables(catalogue).filter(({ name }) => isWanted(name));
  const keys = new Map(wanted.map((table) => [table.name, keyOf(table, apart)]));
  const keyOfTable = (name: string): UsableKey | undefined => keys.get(name);
  const links = wanted.filter(
    (table) =>
      isOfLinks(table) &&
      isLinking(table, keyOfTable, (name) => tableCalled(catalogue, name)?.key ?? []) &&
      [table, ...table.columns].every(({ name }) => isSqlName(name)),
  );
  const names = makeNames([...RESERVED_MODELS, ...modelNames], '-');
  const taken = new Map<string, Taken>();
  for (const table of wanted.filter((one) => !links.includes(one))) {
    const key = keyOfTable(table.name);
    if (!isSqlName(table.name) || key?.columns.every(({ name }) => isSqlName(name)) === false)
      notes.push({ at: table.name, what: 'left out', text: NAME });
    else if (key === undefined) notes.push({ at: table.name, what: 'left out', text: keylessText(table) });
    else {
      const joined = joinedReferences(table, key, keyOfTable);
      taken.set(table.name, { ...takenOf(table, key, names.take(modelNameOf(table.name)), notes), joined });
    }
  }
  for (const one of taken.values()) addFields(one, taken, notes);
  for (const one of taken.values()) addReverses(one, taken);
  for (const table of links) addLinks(table, taken, notes);
  return { models: [...taken.values()].map((one) => declaredModel(one, notes)), notes };
}

/** Names with quotes, dots or backslashes, or of more than 63 bytes. */
const NAME = 'its name can not stand in a model';

function keylessText({ key, isView }: CatalogueTable): string {
  if (key.length > 1)
    return `its key has ${key.length} columns, ${key.join(' and ')}, and no column alone tells its rows apart`;
  return `${isView ? 'a view' : 'a table without a key'} in which no column tells the rows apart`;
}

function takenOf(table: CatalogueTable, key: UsableKey, name: string, notes: AdoptionNote[]): Omit<Taken, 'joined'> {
  const checks = table.checks.flatMap((words): CheckRules[] => {
    const found = checkRules(words);
    if (found === undefined && !/^\(?(json_valid\(|.*\bin ?\( ?0 ?, ?1 ?\)$)/i.test(words))
      notes.push({ at: table.name, what: 'left out', text: `the check ${words}` });
    return found ?? [];
  });
  const single = new Set(table.unique.flatMap((columns) => (columns.length === 1 ? columns : [])));
  const members = makeNames(RESERVED_MEMBERS);
  const isIdTaken = table.columns.some((column) => memberNameOf(column.name) === 'id');
  return {
    table,
    key,
    keyName: key.columns.length > 1 ? members.take(isIdTaken ? 'key' : 'id') : '',
    name,
    fields: {},
    relations: {},
    names: members,
    memberOf: new Map(),
    checks,
    single,
  };
}

function addFields(one: Taken, taken: ReadonlyMap<string, Taken>, notes: AdoptionNote[]): void {
  const { table, key, names, memberOf, fields, relations, single } = one;
  const sole = soleColumn(key);
  if (sole !== undefined) {
    const keyName = names.take(memberNameOf(sole.name));
    memberOf.set(sole.name, keyName);
    if (key.made === undefined) fields[keyName] = keyField(one, sole, keyName, notes);
  }
  addJoined(one, taken);
  const stamped = new Set(Object.values(stampColumns(table)).map((column) => column.name));
  for (const column of table.columns) {
    const at = `${table.name}.${column.name}`;
    if (column === sole) continue;
    if (memberOf.has(column.name)) {
      noteShared(one, column, notes);
      continue;
    }
    const why = column.kind === undefined ? `${column.type} has no form in JSON` : NAME;
    if (column.kind === undefined || !isSqlName(column.name)) {
      notes.push({ at, what: 'left out', text: why });
      continue;
    }
    const referred = targetOf(one, column.name, taken);
    if (referred !== undefined) {
      const name = names.take(relationNameOf(column.name), (other) => [`${other}_id`]);
      memberOf.set(column.name, name);
      relations[name] = relationOf(
        column,
        name,
        referred,
        table.key.includes(column.name) && !key.columns.includes(column),
      );
      continue;
    }
    noteReference(one, column, taken, notes);
    noteLikely(one, column, taken, notes);
    const name = names.take(memberNameOf(column.name));
    memberOf.set(column.name, name);
    if (key.columns.includes(column)) {
      fields[name] = keyField(one, column, name, notes);
      continue;
    }
    if (stamped.has(column.name)) continue;
    const mayWrite = table.may.insert || table.may.update;
    const checks = one.checks.filter((check) => check.column === column.name);
    const { declared, notes: more } = adoptedField(column, checks, mayWrite && !table.isView);
    more.forEach((text) => notes.push({ at, what: 'changed', text }));
    fields[name] = {
      ...declared,
      ...(single.has(column.name) && isComparable(declared) ? { unique: true } : {}),
      ...(column.name === name ? {} : { column: column.name }),
    };
  }
}

/** References to keys of several columns. */
function addJoined(one: Taken, taken: ReadonlyMap<string, Taken>): void {
  for (const joined of one.joined) {
    const target = taken.get(joined.reference.table);
    if (target === undefined) continue;
    const isOfKey = joined.columns.every((column) => one.key.columns.includes(column));
    const name = one.names.take(underscored(target.name), (other) => [`${other}_id`]);
    one.relations[name] = joinedRelation(joined, target, isOfKey);
    for (const column of joined.columns) one.memberOf.set(column.name, name);
  }
}

function keyField(
  { table, key: { isByChance }, checks }: Taken,
  column: CatalogueColumn,
  name: string,
  notes: AdoptionNote[],
): FieldDeclaration {
  if (isByChance)
    notes.push({ at: table.name, what: 'changed', text: `told apart by ${column.name}, which no key keeps unique` });
  const own = checks.filter((check) => check.column === column.name);
  const { declared } = adoptedField({ ...column, nullable: false, made: undefined, preset: undefined }, own, false);
  return {
    ...declared,
    ...(declared.type === 'text' ? { type: 'string' } : {}),
    // A key is never empty: nothing could be found by it.
    ...(declared.minLength === 0 ? { minLength: undefined } : {}),
    ...(column.name === name ? {} : { column: column.name }),
  };
}
