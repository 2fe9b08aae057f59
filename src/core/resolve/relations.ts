import type { RelationDeclaration } from '../declaration/declarations.ts';
import { noRules } from '../model/field.ts';
import type { Field } from '../model/field.ts';
import type { Links, Relation, Reverse } from '../model/relation.ts';
import { singularOf, tableOf, underscored } from '../text/names.ts';
import { didYouMean } from '../text/nearest.ts';
import { keyDeclaration } from './model-draft.ts';
import type { Draft, Drafts } from './model-draft.ts';

/** Every way in which the records of a model are related to others. */
export interface Related {
  readonly parent?: Relation;
  /** Those to one record, the parent first. */
  readonly relations: readonly Relation[];
  readonly links: readonly Links[];
  readonly reverses: readonly Reverse[];
}

export function relatedOf(draft: Draft, drafts: Drafts): Related {
  const parent = parentOf(draft, drafts);
  const relations: Relation[] = parent === undefined ? [] : [parent];
  const links: Links[] = [];
  const reverses: Reverse[] = [];
  for (const [name, declared] of Object.entries(draft.declaration.relations ?? {})) {
    // Undefined where the checker of shapes has complained already.
    if (declared === undefined) continue;
    switch (kindOfRelation(name, declared, draft)) {
      case 'to': {
        const relation = toOne(name, { ...declared, to: declared.to! }, draft, drafts, ['relations', name, 'to']);
        if (relation !== undefined) relations.push(relation);
        break;
      }
      case 'with': {
        const link = linksOf(name, declared, draft, drafts);
        if (link !== undefined) links.push(link);
        break;
      }
      case 'from': {
        const other = otherEnd(name, declared, draft, drafts);
        if (other !== undefined && 'source' in other) reverses.push(other);
        else if (other !== undefined) links.push(other);
        break;
      }
    }
  }
  return { parent, relations, links, reverses };
}

const KINDS = ['to', 'with', 'from'] as const;
/** Entries that go with relations of one kind only. */
const ONLY = [
  ['required', 'to'],
  ['onDelete', 'to'],
  ['immutable', 'to'],
  ['column', 'to'],
  ['one', 'from'],
  ['table', 'with'],
] as const;

/** A relation is of one of three kinds, and the rest of its entries must go with it. */
function kindOfRelation(
  name: string,
  declared: RelationDeclaration,
  { report }: Draft,
): (typeof KINDS)[number] | undefined {
  const given = KINDS.filter((kind) => Object.hasOwn(declared, kind));
  const [kind] = given;
  if (kind === undefined || given.length > 1) {
    const message =
      kind === undefined
        ? `the relation \`${name}\` doesn't say what it leads to`
        : `the relation \`${name}\` can not have ${given.join(' and ')} at once`;
    const remedy = 'one of to: member (one record), with: amenity (many on both sides), from: stay.hut (the other end)';
    report.error('wrong-relation', message, remedy, ['relations', name], 'key');
    return undefined;
  }
  for (const [key, fitting] of ONLY) {
    if (kind === fitting || !Object.hasOwn(declared, key)) continue;
    const remedy = `leave it out; it goes with relations that have \`${fitting}\``;
    report.error(
      'wrong-relation',
      `a relation with \`${kind}\` has no \`${key}\``,
      remedy,
      ['relations', name, key],
      'key',
    );
  }
  const { columns } = declared;
  if (columns !== undefined && (kind === 'from' || 'length' in columns !== (kind === 'to'))) {
    const remedy = 'leave it out; a list of them goes with `to`, own and other with `with`';
    report.error(
      'wrong-relation',
      `these columns don't go with \`${kind}\``,
      remedy,
      ['relations', name, 'columns'],
      'key',
    );
  }
  return declared[kind] === undefined ? undefined : kind;
}

/** `within: hut` is a required, immutable relation `hut` whose records go when the hut goes. */
function parentOf(draft: Draft, drafts: Drafts): Relation | undefined {
  const to = draft.declaration.within;
  if (to === undefined) return undefined;
  const whole = { to, required: true, immutable: true, onDelete: 'cascade' } as const;
  return toOne(underscored(to), whole, draft, drafts, ['within']);
}

function toOne(
  name: string,
  declared: RelationDeclaration & { to: string },
  draft: Draft,
  drafts: Drafts,
  path: readonly string[],
): Relation | undefined {
  const target = targetOf(declared.to, draft, drafts, path);
  if (target === undefined) return undefined;
  const member = `${underscored(name)}_id`;
  const ofKey = keyDeclaration(draft.declaration.key).fields ?? [];
  const isOfKey = ofKey.includes(name) || ofKey.includes(member);
  const required = isOfKey || (declared.required ?? false);
  const immutable = isOfKey || (declared.immutable ?? false);
  const several = target.key.parts === undefined ? {} : { column: '', parts: [] };
  if (target.key.parts !== undefined && declared.column !== undefined) {
    const message = `${declared.to} has a key of several fields, which needs a column each`;
    draft.report.error('wrong-relation', message, 'say columns: [first, second]', ['relations', name, 'column'], 'key');
  }
  const onDelete = declared.onDelete ?? 'restrict';
  if (onDelete === 'clear' && (required || immutable)) {
    const remedy = `leave out ${required ? 'required' : 'immutable'}, or choose restrict or cascade`;
    const message = `${required ? 'a required' : 'an immutable'} relation can not be cleared`;
    draft.report.error('clear-of-required', message, remedy, ['relations', name, 'onDelete']);
  }
  const field: Field = {
    member,
    column: declared.column ?? member,
    ...several,
    type: target.key.type,
    scale: target.key.scale,
    origin: 'relation',
    refersTo: declared.to,
    description: declared.description,
    deprecated: declared.deprecated,
    examples: [],
    rules: { ...noRules, required, immutable },
  };
  return { name, field, target: declared.to, onDelete, description: declared.description };
}

function targetOf(name: string, { report }: Draft, drafts: Drafts, path: readonly string[]): Draft | undefined {
  const target = drafts.get(name);
  if (target === undefined && !drafts.lost.has(name)) {
    report.error('unknown-model', `there is no model ${name}`, didYouMean(name, drafts.keys()), path);
  }
  return target;
}

function linksOf(
  name: string,
  { with: to = '', description, deprecated, table, columns }: RelationDeclaration,
  draft: Draft,
  drafts: Drafts,
): Links | undefined {
  const target = targetOf(to, draft, drafts, ['relations', name, 'with']);
  if (target === undefined) return undefined;
  const own = columns !== undefined && 'own' in columns ? columns : undefined;
  const several = [draft, target].find(({ key }) => key.parts !== undefined);
  if (several !== undefined) {
    const message = `${several.declaration.model} has a key of several fields, which no table of links holds`;
    draft.report.error('wrong-relation', message, 'write a model of the links', ['relations', name, 'with']);
    return undefined;
  }
  const near = `${underscored(draft.declaration.model)}_id`;
  const far = `${singularOf(underscored(name))}_id`;
  return {
    name,
    member: `${singularOf(underscored(name))}_ids`,
    target: to,
    key: target.key,
    table: table ?? `${tableOf(draft.declaration)}_${name}`,
    near: own?.own ?? near,
    far: own?.other ?? (far === near ? 'other_id' : far),
    description,
    deprecated,
  };
}

/** The other end of a relation: of the links of a many-to-many one, or of one to a single record. */
function otherEnd(
  name: string,
  declared: RelationDeclaration,
  draft: Draft,
  drafts: Drafts,
): Links | Reverse | undefined {
  const { report, declaration } = draft;
  const path = ['relations', name, 'from'];
  const [source = '', relation = ''] = declared.from!.split('.');
  const other = targetOf(source, draft, drafts, path);
  if (other === undefined) return undefined;
  const found = other.declaration.relations?.[relation];
  const isParent = other.declaration.within !== undefined && underscored(other.declaration.within) === relation;
  const to = isParent ? other.declaration.within : (found?.to ?? found?.with);
  const { description, deprecated } = declared;
  if (to === undefined) {
    const known = [
      ...Object.entries(other.declaration.relations ?? {}).flatMap(([known, { from } = {}]) =>
        from === undefined ? known : [],
      ),
      ...(other.declaration.within === undefined ? [] : [underscored(other.declaration.within)]),
    ];
    const message = `${source} has no relation \`${relation}\` of its own`;
    report.error('unknown-relation', message, didYouMean(relation, known), path);
    return undefined;
  }
  if (to !== declaration.model) {
    const message = `${source}.${relation} leads to ${to}, not to ${declaration.model}`;
    report.error('other-end-elsewhere', message, `name a relation that leads to ${declaration.model}`, path);
    return undefined;
  }
  if (found?.with === undefined) return { name, source, relation, one: declared.one ?? false, description, deprecated };
  if (declared.one === true) {
    const remedy = 'leave out one';
    report.error('wrong-relation', `${source}.${relation} is many-to-many`, remedy, ['relations', name, 'one'], 'key');
  }
  const mirrored = linksOf(relation, found, other, drafts);
  if (mirrored === undefined) return undefined;
  const { table, near, far } = mirrored;
  return { name, target: source, key: other.key, table, near: far, far: near, description, deprecated };
}
