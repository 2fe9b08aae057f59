import { actsOnRecords } from '../access/condition.ts';
import { isOpenFor, readsWhatItWrites } from '../access/open.ts';
import type { Field } from '../model/field.ts';
import { FIELDS, VIEWS } from '../api/parameters.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { Computed, Model } from '../model/model.ts';
import { linkedOf, linksShownAs, ownNames, relatedNames, stepCalled, viaCalled } from '../model/related.ts';
import { MOST_RELATED, ownMember, viewOf } from '../query/projection.ts';
import type { ProjectedMember, Projection } from '../query/projection.ts';
import { capitalized, spoken, withArticle } from '../text/names.ts';
import type { Ref } from './components.ts';
import type { Documented } from './documented.ts';
import { recordExample } from './examples.ts';
import { objectOf, orNull } from './json-schema.ts';
import type { JsonSchema } from './json-schema.ts';
import { typeName } from './type-name.ts';
import { memberSchema, propertiesSchema, valueSchema } from './values.ts';
import type { Side } from './values.ts';

/** Whether the key that a relation holds may be null to somebody who may not read the record behind it. */
export function mayBeHidden(graph: Graph, model: Model, field: Field): boolean {
  if (field.refersTo === undefined) return false;
  // A child that its parent's readers may read has a readable parent.
  if (field === model.parent?.field && model.access.verbs.read.every(({ kind }) => kind === 'parent')) return false;
  return !isOpenFor(graph, modelOf(graph, field.refersTo), 'read');
}

/** A record in an answer: its `default` view, and what `include` may add. */
export const wholeRef = (doc: Documented, model: Model): Ref =>
  doc.components.ref('schemas', typeName(model), () => ({
    ...viewSchema(doc, model, 'default'),
    ...examplesOf(recordExample(doc, model)),
  }));

/** A record as `fields` cuts it out: any member may be missing. */
export const partRef = (doc: Documented, model: Model): Ref =>
  doc.components.ref('schemas', `${typeName(model)}.part`, () => ({
    ...objectOf(
      {
        ...ownSchemas(doc, model, 'part'),
        ...relatedSchemas(doc, model, partRef, someParts),
        ...askedMembers(doc, model),
      },
      [],
    ),
    description: `Those members of ${withArticle(model.name)} that \`fields\` names.`,
  }));

/** A record in a view. */
export const viewRef = (doc: Documented, model: Model, view: string): Ref =>
  view === 'default'
    ? wholeRef(doc, model)
    : doc.components.ref('schemas', `${typeName(model)}.view.${view}`, () => viewSchema(doc, model, view));

/** What else a read may show of a record: its other views by their names, and the members that `fields` names. */
export function otherSchemas(doc: Documented, model: Model, usual: string): JsonSchema {
  const views = [...model.views.keys()].filter((view) => view !== usual);
  return {
    ...(views.length === 0
      ? {}
      : { [VIEWS]: Object.fromEntries(views.map((view) => [view, viewRef(doc, model, view)])) }),
    [FIELDS]: partRef(doc, model),
  };
}

/** What comes back of a record that was written: its key alone, where its writer may not read it. */
export function writtenRef(doc: Documented, model: Model, act: 'create' | 'update'): Ref {
  if (readsWhatItWrites(doc.graph, model, act)) return wholeRef(doc, model);
  const { member } = model.key;
  const key = doc.components.ref('schemas', `${typeName(model)}.key`, () => ({
    ...objectOf({ [member]: memberSchema(doc.components, model.key, model, 'response') }, [member]),
    description: `All that is shown of ${withArticle(model.name)} to those who may write it and not read it.`,
  }));
  return doc.components.ref('schemas', `${typeName(model)}.written`, () => ({
    description: `${capitalized(withArticle(model.name))} as it is now.`,
    anyOf: [wholeRef(doc, model), key],
  }));
}

/** What a journal's line has where `labels=true` asks for it. */
const LINE_LABELS: Record<string, JsonSchema> = {
  label: { type: ['string', 'null'], description: 'What the record is called; null where it is hidden or gone.' },
  by_label: { type: ['string', 'null'], description: 'What whoever did it is called.' },
};

/** What has a parameter of its own: what the caller may do with the record, or what records are called. */
function askedMembers({ components }: Documented, model: Model): Record<string, JsonSchema> {
  if (typeName(model) === 'journal') return LINE_LABELS;
  if ([...ownNames(model), ...relatedNames(model)].includes('may')) return {};
  const acts = actsOnRecords(model).map(([name]) => name);
  const ref = components.ref('schemas', `${typeName(model)}.may`, () => ({
    type: 'array',
    items: acts.length === 0 ? { type: 'string' } : { enum: acts },
    description: 'What the caller may do with the record, where `may=true` asks for it.',
  }));
  return { may: { ...ref } };
}

function viewSchema(doc: Documented, model: Model, view: string): JsonSchema {
  const schema = shownSchema(doc, model, viewOf(doc.graph, model, view));
  const about = view === 'default' ? model.description : `${capitalized(withArticle(model.name))} in the view ${view}.`;
  const { properties, ...rest } = schema;
  return {
    ...(about === undefined ? {} : { description: about }),
    ...(model.deprecated === true ? { deprecated: true } : {}),
    ...rest,
    properties: {
      ...relatedSchemas(doc, model, wholeRef, someWholes),
      ...askedMembers(doc, model),
      ...(properties as object),
    },
  };
}

/** A record of which exactly these members are shown; what not everybody sees may be missing. */
function shownSchema(doc: Documented, model: Model, projection: Projection): JsonSchema {
  const always = projection.filter(({ name }) => !isKept(model, name)).map(({ name }) => name);
  const properties = projection.map((member): [string, JsonSchema] => [member.name, shownMember(doc, model, member)]);
  return objectOf(Object.fromEntries(properties), always);
}

/** Whether a member, or a related record, is hidden from some readers of the record. */
function isKept({ access, relations, links }: Model, name: string): boolean {
  const behind =
    relations.find((relation) => relation.name === name)?.field.member ??
    links.find((one) => one.name === name)?.member;
  return access.fields.has(behind ?? name);
}

function shownMember(doc: Documented, model: Model, member: ProjectedMember): JsonSchema {
  if (member.kind === 'one' || member.kind === 'many') {
    const target = modelOf(doc.graph, member.target);
    return orNull(shownSchema(doc, target, member.projection));
  }
  if (member.kind === 'field' && member.inside !== undefined) {
    const names = new Set(member.inside.map(({ name }) => name));
    const inside = new Map([...member.field.properties!].filter(([name]) => names.has(name)));
    return orNull(propertiesSchema(inside, 'part'));
  }
  return ownSchema(doc, model, member.name, 'response');
}

/** The members of a record that are no other records. */
const ownSchemas = (doc: Documented, model: Model, side: Side): Record<string, JsonSchema> =>
  Object.fromEntries(ownNames(model).map((name) => [name, ownSchema(doc, model, name, side)]));

function ownSchema(doc: Documented, model: Model, name: string, side: Side): JsonSchema {
  const member = ownMember(model, name)!;
  if (member.kind === 'computed') return computedSchema(member.computed);
  if (member.kind !== 'field') return keysRef(doc, model, name);
  const { field } = member;
  const isNull = !field.rules.required || mayBeHidden(doc.graph, model, field);
  return memberSchema(doc.components, field, model, side, isNull);
}

/** What a computed value is made of may be null, and a division by zero is. */
export const computedSchema = (computed: Computed): JsonSchema => valueSchema(computed, 'response');

/** The keys of the records that a record is linked with. */
function keysRef(doc: Documented, model: Model, name: string): JsonSchema {
  const { key, target, description, deprecated } = linksShownAs(model, name)!;
  const { readOnly: _readOnly, description: _about, ...items } = valueSchema(key, 'response');
  const about = `The keys of its ${spoken(modelOf(doc.graph, target).plural)}.`;
  const ref = doc.components.ref('schemas', `${typeName(model)}.${name}`, () => ({
    type: 'array',
    items,
    uniqueItems: true,
  }));
  return {
    ...ref,
    description: description === undefined ? about : `${description} ${about}`,
    ...(deprecated === true ? { deprecated: true } : {}),
  };
}

export const linkedSchemas = (doc: Documented, model: Model): Record<string, JsonSchema> =>
  Object.fromEntries(linkedOf(model).map(({ member }) => [member, keysRef(doc, model, member)]));

type RecordRef = (doc: Documented, model: Model) => Ref;

/** The records that a client may ask for along with one. */
function relatedSchemas(doc: Documented, model: Model, one: RecordRef, many: RecordRef): Record<string, JsonSchema> {
  return Object.fromEntries(
    relatedNames(model).map((name): [string, JsonSchema] => {
      const step = stepCalled(model, name);
      const via = step === undefined ? viaCalled(model, name)! : undefined;
      const target = modelOf(doc.graph, step?.target ?? via!.target);
      const { description, deprecated } = relationCalled(model, name);
      const notes = {
        description: description ?? `${step === undefined ? 'Some of its' : 'Its'} ${spoken(name)}, where asked for.`,
        ...(deprecated === true ? { deprecated: true } : {}),
      };
      const schema = step === undefined ? { ...many(doc, target) } : orNull({ ...one(doc, target) });
      return [name, { ...schema, ...notes }];
    }),
  );
}

const relationCalled = (
  { relations, links, reverses }: Model,
  name: string,
): { description?: string; deprecated?: boolean | undefined } => {
  const relation = relations.find((one) => one.name === name);
  if (relation !== undefined)
    return {
      ...(relation.description === undefined ? {} : { description: relation.description }),
      deprecated: relation.field.deprecated,
    };
  return [...links, ...reverses].find((one) => one.name === name)!;
};

const someWholes: RecordRef = (doc, model) => some(doc, model, '.some', wholeRef);

const someParts: RecordRef = (doc, model) => some(doc, model, '.some.part', partRef);

const some = (doc: Documented, model: Model, suffix: string, one: RecordRef): Ref =>
  doc.components.ref('schemas', typeName(model) + suffix, () => ({
    ...objectOf(
      { data: { type: 'array', items: one(doc, model), maxItems: MOST_RELATED }, more: { type: 'boolean' } },
      ['data', 'more'],
    ),
    description: `The first ${MOST_RELATED} ${spoken(model.plural)} of a relation, and whether there are more.`,
  }));

export const examplesOf = (example: object | undefined): JsonSchema =>
  example === undefined ? {} : { examples: [example] };
