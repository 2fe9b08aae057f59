import { implies } from '../access/open.ts';
import { MOST_AT_ONCE } from '../api/limits.ts';
import { BODY_TYPES, JSON_PATCH } from '../api/media-types.ts';
import type { ClientKind } from '../api/media-types.ts';
import type { Field, ValueSpec } from '../model/field.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import { derivedNames, linkedOf } from '../model/related.ts';
import { isNeeded, isSettable } from '../rules/schema.ts';
import { withArticle } from '../text/names.ts';
import type { Ref } from './components.ts';
import type { Documented } from './documented.ts';
import { bodyExample } from './examples.ts';
import { objectOf } from './json-schema.ts';
import type { JsonSchema } from './json-schema.ts';
import { computedSchema, examplesOf, linkedSchemas, mayBeHidden } from './records.ts';
import { patchSchema } from './shared.ts';
import { typeName } from './type-name.ts';
import { memberSchema, valueSchema } from './values.ts';

/** What a write takes in its body; `within` a record whose key the path says. */
export function requestBody(doc: Documented, model: Model, kind: ClientKind, within = false): JsonSchema {
  const one = bodyRef(doc, model, kind, within);
  const schemaOf = (type: string): JsonSchema => {
    if (type === JSON_PATCH) return { ...doc.components.ref('schemas', 'patch', patchSchema) };
    return kind === 'create' ? { ...manyRef(doc, model, within, one) } : { ...one };
  };
  const content = BODY_TYPES[kind].map((type) => [type, { schema: schemaOf(type) }]);
  return { required: true, content: Object.fromEntries(content) as JsonSchema };
}

const manyRef = (doc: Documented, model: Model, within: boolean, one: Ref): Ref =>
  doc.components.ref('schemas', `${typeName(model)}.create${within ? '.within' : ''}.some`, () => ({
    description: 'One record; or many, of which all are made or none.',
    anyOf: [one, { title: 'Many at once', type: 'array', items: one, minItems: 1, maxItems: MOST_AT_ONCE }],
    ...examplesOf(exampleOf(doc, model, 'create', within)),
  }));

const bodyRef = (doc: Documented, model: Model, kind: ClientKind, within: boolean): Ref =>
  doc.components.ref('schemas', `${typeName(model)}.${kind}${within ? '.within' : ''}`, () =>
    bodySchema(doc, model, kind, within),
  );

/** A body of one kind of write. Members that can only be sent back as they were read have their plain type. */
export function bodySchema(doc: Documented, model: Model, kind: ClientKind, within = false): JsonSchema {
  const members = model.fields.filter((field) => kind !== 'create' || isSettable(field, kind));
  const settable = members.filter((field) => isSettable(field, kind));
  const required = settable
    .filter((field) => isAsked(doc.graph, model, field, kind, within))
    .map(({ member }) => member);
  const properties = members.map((field): [string, JsonSchema] => [field.member, bodyMember(doc, model, field, kind)]);
  return {
    ...objectOf(
      {
        ...Object.fromEntries(properties),
        ...linkedSchemas(doc, model),
        ...(kind === 'create' ? {} : repeatable(model)),
      },
      required,
      { description: bodyText(model, kind, within), ...(model.deprecated === true ? { deprecated: true } : {}) },
    ),
    ...examplesOf(exampleOf(doc, model, kind, within)),
  };
}

/** A whole body, without what only some may see or set; none of an update, which names what changes. */
function exampleOf(doc: Documented, model: Model, kind: ClientKind, within: boolean): object | undefined {
  if (kind === 'update') return undefined;
  const hidden = (member: string): boolean => model.access.fields.has(member) || model.access.set.has(member);
  const settable = model.fields
    .filter((field) => isSettable(field, kind))
    .filter((field) => !hidden(field.member) || isAsked(doc.graph, model, field, kind, within))
    .map(({ member }) => member);
  const links = linkedOf(model).map(({ member }) => member);
  const example = bodyExample(doc, model, [...settable, ...links.filter((member) => !hidden(member))]);
  const isPart = (member: string): boolean => within && member === model.parent?.field.member;
  return example && Object.fromEntries(Object.entries(example).filter(([member]) => !isPart(member)));
}

/** What holds of the whole body, which JSON Schema has no word for. */
function bodyText(model: Model, kind: ClientKind, within: boolean): string {
  const rules = model.rules.map(({ message, at }) => (at === undefined ? message : `${at} ${message}`));
  const sets = model.unique
    .filter((set) => set.length > 1)
    .map((set) => `no two records have the same ${set.map(({ member }) => member).join(' and ')}`);
  const held = [...rules, ...sets];
  const what =
    `What it takes to ${kind} ` +
    `${withArticle(model.name)}${within ? ', within the record that the path names' : ''}.`;
  return held.length === 0 ? what : `${what} Besides: ${held.join('; ')}.`;
}

function bodyMember(doc: Documented, model: Model, field: Field, kind: ClientKind): JsonSchema {
  const isNull = !field.rules.required || (kind !== 'create' && mayBeHidden(doc.graph, model, field));
  if (kind === 'update' && field.type === 'object' && isSettable(field, kind)) return mergedSchema(doc, model, field);
  const { default: standing, ...schema } = memberSchema(
    doc.components,
    field,
    model,
    isSettable(field, kind) ? 'request' : 'response',
    isNull,
  );
  // A patch leaves alone what it doesn't name: a default would say otherwise.
  if (kind === 'update' || standing === undefined) return schema;
  const { description, ...rest } = schema;
  // Beside the member's own words a default would say to some readers that the member must be there.
  return { anyOf: [{ ...rest, default: standing }], ...(description === undefined ? {} : { description }) };
}

/** Whether a body must have a member: what may be hidden from its sender, or is not theirs to set, may be left out. */
export function isAsked(graph: Graph, model: Model, field: Field, kind: ClientKind, within: boolean): boolean {
  if (!isNeeded(field, kind, model)) return false;
  if (within && field === model.parent?.field) return false;
  if (kind === 'create') return true;
  if (mayBeHidden(graph, model, field)) return false;
  const { fields, set, verbs } = model.access;
  const senders = kind === 'replace' ? verbs.replace : verbs.update;
  return [fields, set].every((limited) => {
    const grants = limited.get(field.member);
    return grants === undefined || implies(graph, model, senders, grants);
  });
}

/** A part of an object, merged into the stored one: members left out stay, and null removes one. */
const mergedSchema = ({ components }: Documented, model: Model, field: Field): JsonSchema => ({
  anyOf: [
    components.ref('schemas', `${typeName(model)}.${field.member}.merge`, () => partsSchema(field.properties!)),
    ...(field.rules.required ? [] : [{ type: 'null' }]),
  ],
  description: 'Merged into the object that stands (RFC 7396); what comes of it must keep the rules.',
});

/** Null takes a part away, which must not be one that has to be there. */
const partsSchema = (properties: ReadonlyMap<string, ValueSpec>): JsonSchema =>
  objectOf(
    Object.fromEntries(
      [...properties].map(([name, property]): [string, JsonSchema] => {
        const isNull = !property.rules.required || property.rules.default !== undefined;
        if (property.type !== 'object') return [name, valueSchema(property, 'request', undefined, isNull)];
        const inner = partsSchema(property.properties!);
        return [name, isNull ? { anyOf: [inner, { type: 'null' }] } : inner];
      }),
    ),
    [],
  );

/** What may only be sent back as it was read. */
const repeatable = (model: Model): Record<string, JsonSchema> => ({
  ...Object.fromEntries(derivedNames(model).map((name) => [name, { readOnly: true }])),
  ...Object.fromEntries(model.computed.map((computed) => [computed.member, computedSchema(computed)])),
});
