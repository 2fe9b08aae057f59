import { grantsText } from '../../core/access/grant-text.ts';
import { collectionPath } from '../../core/api/endpoints.ts';
import type { Expression } from '../../core/model/expression.ts';
import type { Field, ValueSpec } from '../../core/model/field.ts';
import type { Graph } from '../../core/model/graph.ts';
import type { Model } from '../../core/model/model.ts';
import { isReverse } from '../../core/model/relation.ts';
import { reversesOf } from './reverses.ts';

/** What the page has to know of a service to show its records, and to make forms for them. */
export function describeService(graph: Graph, store: string) {
  const { service, identity } = graph;
  return {
    name: service.name,
    version: service.version,
    store,
    most: service.paging.most,
    identity: identity === undefined ? null : { model: identity.model, isOurs: identity.issuer === undefined },
    models: graph.models.map((model) => describeModel(graph, model)),
  };
}

function describeModel(graph: Graph, model: Model) {
  return {
    name: model.name,
    plural: model.plural,
    path: collectionPath(graph, model),
    description: model.description ?? null,
    key: model.key.member,
    conditional: model.conditional,
    journal: model.journal,
    owner: model.owner?.map(({ name }) => name).join('.') ?? null,
    isIdentity: graph.identity?.model === model.name,
    label: (model.label ?? []).map(labelPart),
    fields: [
      ...model.fields.map((field) => describeField(model, field)),
      ...model.computed.map((one) => ({ ...describeSpec(one), member: one.member, of: 'computed' })),
    ],
    links: model.links.flatMap(({ member, name, target }) => (member === undefined ? [] : [{ member, name, target }])),
    reverses: reversesOf(graph, model),
    verbs: [...model.endpoints],
    operations: model.operations.map(({ name, target, description, input, reads }) => ({
      name,
      target,
      description: description ?? null,
      reads,
      input: [...input].map(([member, spec]) => ({ ...describeSpec(spec), member, of: 'input' })),
    })),
  };
}

/** A text, or the members that lead to what stands there; where that is more than members, nothing. */
function labelPart(part: string | Expression): string | string[] {
  if (typeof part === 'string') return part;
  const names: string[] = [];
  let at: Expression = part;
  while (at.op === 'at' && !isReverse(at.step)) {
    names.push(at.step.name);
    at = at.of;
  }
  while (at.op === 'convert' || at.op === 'when') at = at.of;
  return at.op === 'field' && at.inside.length === 0 ? [...names, at.field.member] : [];
}

const describeField = (model: Model, field: Field) => ({
  ...describeSpec(field),
  member: field.member,
  of: field.origin,
  ...(field.refersTo === undefined ? {} : { refersTo: field.refersTo, relation: relationOf(model, field) }),
  isUnique: model.unique.some((set) => set.length === 1 && set[0] === field),
  isHidden: field.rules.writeOnly || field.type === 'secret',
  seenBy: model.access.fields.has(field.member) ? grantsText(model, model.access.fields.get(field.member)!) : null,
  setBy: model.access.set.has(field.member) ? grantsText(model, model.access.set.get(field.member)!) : null,
});

const relationOf = (model: Model, field: Field): string | null =>
  model.relations.find((relation) => relation.field === field)?.name ?? null;

function describeSpec({ type, scale, rules, items, description }: ValueSpec) {
  const { minLength, maxLength, minimum, maximum, pattern, enum: words, default: usual } = rules;
  return {
    type,
    scale,
    description: description ?? null,
    required: rules.required,
    hasDefault: rules.hasDefault,
    readOnly: rules.readOnly,
    immutable: rules.immutable,
    ...(items === undefined ? {} : { items: items.type }),
    ...(words === undefined ? {} : { enum: words }),
    ...(usual === undefined ? {} : { usual }),
    ...Object.fromEntries(
      Object.entries({ minLength, maxLength, minimum, maximum, pattern }).filter(([, value]) => value !== undefined),
    ),
  };
}
