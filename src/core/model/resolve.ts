import type { Declared, Path } from '../declaration/document.ts';
import { endpointNames } from '../declaration/model-shape.ts';
import { didYouMean } from '../declaration/nearest.ts';
import type { Problem } from '../declaration/problem.ts';
import { orderByReference } from './order.ts';
import type { Field, Graph, Model, Relation, ServiceSettings, SortKey } from './graph.ts';
import type { ModelDeclaration, RelationDeclaration } from './declarations.ts';
import { declaredField, noRules, stampField, uuidKey, serialKey } from './field.ts';
import { pluralOf, underscored } from './names.ts';
import { checkNames } from './collisions.ts';

/** A model's declaration, sound in its shape, with the document it stands in. */
export interface DeclaredModel {
  readonly declaration: ModelDeclaration;
  readonly document: Declared;
}

type Complain = (code: string, message: string, remedy: string, path: Path, part?: 'key' | 'value') => void;

/** A model while it is being put together: its relations wait for the keys of the models they refer to. */
interface Draft {
  readonly declaration: ModelDeclaration;
  readonly document: Declared;
  readonly key: Field;
  readonly keyKind: Model['keyKind'];
  readonly declared: ReadonlyMap<string, Field>;
  readonly complain: Complain;
}

/** Resolves every name in the declarations, and freezes the result. The graph is sound only without errors. */
export function resolve(
  service: ServiceSettings,
  declarations: readonly DeclaredModel[],
): { graph: Graph; problems: Problem[] } {
  const problems: Problem[] = [];
  const drafts = new Map<string, Draft>();
  for (const { declaration, document } of declarations) {
    const complain: Complain = (code, message, remedy, path, part = 'value') =>
      problems.push({ code, severity: 'error', message, remedy, place: document.at(path, part) });
    if (drafts.has(declaration.model)) {
      const message = `there is another model ${declaration.model}`;
      complain('duplicate-model', message, 'give one of them another name', ['model']);
    } else drafts.set(declaration.model, draftOf(declaration, document, complain));
  }

  const unordered = [...drafts.values()].map((draft) => resolveModel(draft, drafts));
  const partsOf = (name: string): string[] =>
    unordered.filter((model) => model.parent?.target === name).map((model) => model.name);
  const models = orderByReference(unordered.map((model) => frozen({ ...model, parts: partsOf(model.name) })));
  for (const draft of drafts.values()) checkCircle(draft, drafts);
  problems.push(...checkNames(service, models, drafts));

  const byName = new Map(models.map((model) => [model.name, model]));
  return { graph: Object.freeze({ service, models: Object.freeze(models), byName }), problems };
}

/** Nothing behind the resolver changes a model: everything that was worked out from it may be kept. */
function frozen(model: Model): Model {
  for (const field of model.fields) Object.freeze(Object.freeze(field).rules);
  for (const part of [model.fields, model.relations, model.sort, model.unique, model.indexes]) Object.freeze(part);
  return Object.freeze(model);
}

function draftOf(declaration: ModelDeclaration, document: Declared, complain: Complain): Draft {
  const fields = new Map<string, Field>();
  for (const [name, field] of Object.entries(declaration.fields ?? {})) {
    fields.set(
      name,
      declaredField(name, field, (code, message, remedy, path, part) =>
        complain(code, message, remedy, ['fields', name, ...path], part),
      ),
    );
  }
  const asked = declaration.key ?? 'uuid';
  if (asked === 'uuid' || asked === 'serial') {
    const key = asked === 'uuid' ? uuidKey : serialKey;
    return { declaration, document, key, keyKind: asked, declared: fields, complain };
  }
  const found = fields.get(asked);
  if (found === undefined) {
    complain(
      'unknown-field',
      `the key \`${asked}\` is not a field`,
      `uuid, serial, or a field: ${didYouMean(asked, fields.keys())}`,
      ['key'],
    );
    return { declaration, document, key: uuidKey, keyKind: 'uuid', declared: fields, complain };
  }
  const key: Field = { ...found, origin: 'key', rules: { ...found.rules, required: true, immutable: true } };
  fields.set(asked, key);
  return { declaration, document, key, keyKind: 'field', declared: fields, complain };
}

function resolveModel(draft: Draft, drafts: ReadonlyMap<string, Draft>): Model {
  const { declaration, key, complain } = draft;
  const parent = parentOf(draft, drafts);
  const others = relationsOf(draft, drafts);
  const relations = parent === undefined ? others : [parent, ...others];
  const stamps = declaration.stamps ?? true;
  const fields = [
    key,
    ...(parent === undefined ? [] : [parent.field]),
    ...[...draft.declared.values()].filter((field) => field !== key),
    ...others.map((relation) => relation.field),
    ...(stamps ? [stampField('created_at'), stampField('updated_at')] : []),
  ];
  const byMember = new Map(fields.map((field) => [field.member, field]));

  const fieldCalled = (name: string, path: Path): Field | undefined => {
    const field = byMember.get(name) ?? relations.find((relation) => relation.name === name)?.field;
    if (field === undefined) {
      const known = [...byMember.keys(), ...relations.map((relation) => relation.name)];
      complain(
        'unknown-field',
        `${declaration.model} has no field or relation \`${name}\``,
        didYouMean(name, known),
        path,
      );
    }
    return field;
  };
  const fieldSets = (key: 'unique' | 'index'): Field[][] =>
    (declaration[key] ?? []).map((names, at) =>
      names.map((name, index) => fieldCalled(name, [key, at, index])).filter((field) => field !== undefined),
    );
  const ofOneField = Object.entries(declaration.fields ?? {}).flatMap(([name, rule]) => {
    if (rule?.unique === undefined || rule.unique === false) return [];
    const within = rule.unique === true ? [] : rule.unique;
    const others = within.map((other, index) => fieldCalled(other, ['fields', name, 'unique', index]));
    return [[...others.filter((field) => field !== undefined), byMember.get(name)!]];
  });

  return {
    name: declaration.model,
    plural: declaration.plural ?? pluralOf(declaration.model),
    table: declaration.table ?? underscored(declaration.plural ?? pluralOf(declaration.model)),
    description: declaration.description,
    keyKind: draft.keyKind,
    key,
    fields,
    byMember,
    relations,
    parent,
    parts: [],
    stamps,
    sort: sortOf(declaration.sort, key, fieldCalled),
    unique: withoutRepeats([...ofOneField, ...fieldSets('unique')]),
    indexes: withoutRepeats(fieldSets('index')),
    endpoints: new Set(declaration.endpoints ?? endpointNames),
  };
}

/** `within: hut` is a required, immutable relation `hut` whose records go when the hut goes. */
function parentOf(draft: Draft, drafts: ReadonlyMap<string, Draft>): Relation | undefined {
  const to = draft.declaration.within;
  if (to === undefined) return undefined;
  const whole = { to, required: true, immutable: true, onDelete: 'cascade' } as const;
  return relationOf(underscored(to), whole, draft, drafts, ['within']);
}

function relationsOf(draft: Draft, drafts: ReadonlyMap<string, Draft>): Relation[] {
  return Object.entries(draft.declaration.relations ?? {}).flatMap(([name, declared]) => {
    // Undefined where the checker of shapes has complained already.
    if (declared?.to === undefined) return [];
    return relationOf(name, { ...declared, to: declared.to }, draft, drafts, ['relations', name, 'to']) ?? [];
  });
}

function relationOf(
  name: string,
  declared: RelationDeclaration & { to: string },
  { complain }: Draft,
  drafts: ReadonlyMap<string, Draft>,
  path: Path,
): Relation | undefined {
  const target = drafts.get(declared.to);
  if (target === undefined) {
    complain('unknown-model', `there is no model ${declared.to}`, didYouMean(declared.to, drafts.keys()), path);
    return undefined;
  }
  const required = declared.required ?? false;
  const onDelete = declared.onDelete ?? 'restrict';
  if (onDelete === 'clear' && required) {
    const remedy = 'leave out required, or choose restrict or cascade';
    complain('clear-of-required', 'a required relation can not be cleared', remedy, ['relations', name, 'onDelete']);
  }
  const member = `${underscored(name)}_id`;
  const field: Field = {
    member,
    column: declared.column ?? member,
    type: target.key.type,
    scale: target.key.scale,
    origin: 'relation',
    refersTo: declared.to,
    description: declared.description,
    examples: [],
    rules: { ...noRules, required, immutable: declared.immutable ?? false },
  };
  return { name, field, target: declared.to, onDelete };
}

/** The declared order, made total by the key at its end. */
function sortOf(
  declared: string | undefined,
  key: Field,
  fieldCalled: (name: string, path: Path) => Field | undefined,
): SortKey[] {
  const keys: SortKey[] = [];
  for (const part of declared?.split(',') ?? []) {
    const name = part.trim().replace(/^-/, '');
    const field = fieldCalled(name, ['sort']);
    if (field !== undefined) keys.push({ field, descending: part.trim().startsWith('-') });
  }
  return keys.some((sortKey) => sortKey.field === key) ? keys : [...keys, { field: key, descending: false }];
}

/** A record can't be a part of itself, by however many steps. */
function checkCircle(draft: Draft, drafts: ReadonlyMap<string, Draft>): void {
  const seen = [draft.declaration.model];
  for (let up = draft.declaration.within; up !== undefined; up = drafts.get(up)?.declaration.within) {
    if (up === seen[0]) {
      const circle = [...seen, up].join(' within ');
      draft.complain('circle-of-parts', `a circle: ${circle}`, 'use a relation for one of them', ['within']);
    }
    if (seen.includes(up)) return;
    seen.push(up);
  }
}

function withoutRepeats(sets: Field[][]): Field[][] {
  const seen = new Set<string>();
  return sets.filter((set) => {
    const name = set.map((field) => field.member).join(',');
    return set.length > 0 && !seen.has(name) && seen.add(name);
  });
}
