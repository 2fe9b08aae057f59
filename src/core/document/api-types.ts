import { actsOnRecords } from '../access/condition.ts';
import { readsWhatItWrites } from '../access/open.ts';
import type { ValueSpec } from '../model/field.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import { linkedOf, ownNames, relatedNames, stepCalled, viaCalled } from '../model/related.ts';
import { filterable, filterableComputed, sortable } from '../query/listable.ts';
import { ownMember, viewOf } from '../query/projection.ts';
import type { ProjectedMember, Projection } from '../query/projection.ts';
import { isSettable, mustBeGiven } from '../rules/schema.ts';
import { capitalized, pascalCase, underscored, withArticle } from '../text/names.ts';
import { isAsked } from './bodies.ts';
import { mayBeHidden } from './records.ts';
import { indented, listed, literal, memberLines, memberType, remark, typeOf } from './typescript.ts';
import type { Member } from './typescript.ts';

/** Names that a file of types has for other things, or that JavaScript has, and that it uses. */
const TAKEN = new Set(
  `Models ModelName Client ClientOptions Connection RequestOptions WriteOptions MakeOptions Fault Problem ProblemBody
  ProblemKind NoAnswer Page Some PatchStep Table Route Query Sent Got AnswerBody FieldPath IncludePath SortPath Shown
  ShownOptions ListOptions Where Wanted WhereParts Comparison CqlValue Lists Reads ReadsMe Creates Replaces Updates
  Deletes Clears JournalLine JournalMember JournalOptions JournalLists Own One Many Views Whole Of Less Head First
  Rest Flat Picked Including AbortSignal Array AsyncGenerator Boolean
  Date Error Exclude Extract Headers JSON Map Math NonNullable Number Object Omit Partial Pick Promise Readonly
  Record RequestInit Response String Symbol TemplateStringsArray TypeError Uint8Array URL URLSearchParams`.split(/\s+/),
);

/** What a model's records are called in TypeScript. Names with an underscore are never those of other models. */
export const tsName = (model: Model): string => {
  const name = pascalCase(model.name);
  return TAKEN.has(name) ? `${name}_` : name;
};

/** The types of all records, views and inputs, as independent interfaces. */
export const apiTypes = (graph: Graph): string =>
  [HEAD, ...graph.models.flatMap((model) => modelTypes(graph, model))].join('\n\n') + '\n';

const HEAD =
  '// Written by `vantfell export types`: do it again when the models have changed.\n' +
  '// `Hut` is a record as it is shown where nothing else is asked for; ' +
  '`Hut_view_…` are its other views, `Hut_create`,\n' +
  '// `Hut_replace` and `Hut_update` what writes take.';

/** The declarations of one model's types. */
export function modelTypes(graph: Graph, model: Model): string[] {
  const name = tsName(model);
  const views = [...model.views.keys()].map((view) =>
    declared(
      viewName(model, view),
      recordMembers(graph, model, viewOf(graph, model, view)),
      view === 'default' ? model.description : `${capitalized(withArticle(model.name))} in the view ${view}.`,
      model.deprecated,
    ),
  );
  const inputs = (['create', 'replace', 'update'] as const)
    .filter((kind) => model.endpoints.has(kind))
    .map((kind) =>
      declared(
        `${name}_${kind}`,
        inputMembers(graph, model, kind),
        `What it takes to ${kind} ${withArticle(model.name)}.`,
      ),
    );
  const operations = model.operations.flatMap((operation) => {
    const called = `${name}_${underscored(operation.name)}`;
    const { input, output } = operation;
    return [
      ...(input.size === 0 ? [] : [declared(`${called}_input`, specMembers(input, 'request'), operation.description)]),
      ...(output?.kind === 'fields' ? [declared(`${called}_output`, specMembers(output.fields, 'response'))] : []),
    ];
  });
  return [...views, ...inputs, ...operations];
}

export const viewName = (model: Model, view: string): string =>
  view === 'default' ? tsName(model) : `${tsName(model)}_view_${view}`;

export function declared(name: string, members: readonly Member[], about?: string, deprecated?: boolean): string {
  const head = remark(about, deprecated);
  if (members.length === 0) return [...head, `export type ${name} = Record<string, never>;`].join('\n');
  return [...head, `export interface ${name} {`, ...indented(memberLines(members), 2), '}'].join('\n');
}

/** Every member of a record that is no other record. */
export const ownMembers = (graph: Graph, model: Model): Member[] =>
  recordMembers(
    graph,
    model,
    ownNames(model).map((name) => ownMember(model, name)!),
  );

const recordMembers = (graph: Graph, model: Model, projection: Projection): Member[] =>
  projection.map((member) => ({
    name: member.name,
    type: shownType(graph, model, member),
    optional: isKept(model, member.name),
    ...notesOf(member),
  }));

const notesOf = (member: ProjectedMember): Pick<Member, 'about' | 'deprecated'> => {
  const { description, deprecated } =
    member.kind === 'field'
      ? member.field
      : member.kind === 'computed'
        ? member.computed
        : member.kind === 'keys'
          ? member.links
          : {};
  return { about: description, deprecated };
};

const isKept = ({ access, relations }: Model, name: string): boolean =>
  access.fields.has(relations.find((relation) => relation.name === name)?.field.member ?? name);

function shownType(graph: Graph, model: Model, member: ProjectedMember): string {
  switch (member.kind) {
    case 'computed':
      return `${typeOf(member.computed, 'response')} | null`;
    case 'may':
      return 'string[]';
    case 'keys':
      return `${listed(typeOf(member.links.key, 'response'))}[]`;
    case 'one':
    case 'many': {
      const target = modelOf(graph, member.target);
      return `{ ${memberLines(recordMembers(graph, target, member.projection))
        .filter((line) => !line.startsWith('/**'))
        .join(' ')} } | null`;
    }
    case 'field': {
      const { field, inside } = member;
      const isNull = !field.rules.required || mayBeHidden(graph, model, field);
      if (inside !== undefined) return 'Record<string, unknown> | null';
      return isNull ? `${typeOf(field, 'response')} | null` : typeOf(field, 'response');
    }
  }
}

function inputMembers(graph: Graph, model: Model, kind: 'create' | 'replace' | 'update'): Member[] {
  const given = model.fields.filter((field) => isSettable(field, kind));
  return [
    ...given.map((field) => ({
      name: field.member,
      type:
        kind !== 'create' && mayBeHidden(graph, model, field)
          ? `${typeOf(field, 'request')} | null`
          : memberType(field, 'request'),
      // A child that is created within its parent gets its key from the path.
      optional: !isAsked(graph, model, field, kind, kind === 'create'),
      about: field.description,
      deprecated: field.deprecated,
    })),
    ...linkedOf(model).map(({ member, key }) => ({
      name: member,
      type: `readonly ${listed(typeOf(key, 'request'))}[]`,
      optional: true,
    })),
  ];
}

const specMembers = (specs: ReadonlyMap<string, ValueSpec>, side: 'request' | 'response'): Member[] =>
  [...specs].map(([name, spec]) => ({
    name,
    type: memberType(spec, side),
    optional: side === 'request' && !mustBeGiven(spec),
    about: spec.description,
    deprecated: spec.deprecated,
  }));

const anyOf = (names: readonly string[]): string => (names.length === 0 ? 'never' : names.map(literal).join(' | '));

/** An entry in the client's map of models: names for the types of paths, orders and values. */
export function modelEntry(graph: Graph, model: Model): string[] {
  const name = tsName(model);
  const views = [...model.views.keys()].map((view) => ({ name: view, type: viewName(model, view) }));
  const related = relatedNames(model);
  const leads = (of: 'one' | 'many'): Member[] =>
    related.flatMap((relation) => {
      const target = of === 'one' ? stepCalled(model, relation)?.target : viaCalled(model, relation)?.target;
      return target === undefined ? [] : [{ name: relation, type: `'${tsName(modelOf(graph, target))}'` }];
    });
  const where = [...filterable(model), ...filterableComputed(model)].map((spec): Member => {
    const type = typeOf({ ...spec, rules: { ...spec.rules, required: true } }, 'response');
    return { name: spec.member, type };
  });
  const sorts = sortable(model);
  const texts = [...model.shown, ...model.computed].filter(({ type }) => ['string', 'text'].includes(type));
  const acts = actsOnRecords(model).map(([act]) => act);
  const written = (verb: 'create' | 'update'): string =>
    readsWhatItWrites(graph, model, verb) ? name : `${name} | Pick<${name}_own, '${model.key.member}'>`;
  const object = (members: readonly Member[]): string =>
    members.length === 0
      ? 'Record<never, never>'
      : `{ ${memberLines(members)
          .filter((line) => !line.startsWith('/**'))
          .join(' ')} }`;
  return [
    `${name}: {`,
    `  key: ${typeOf(model.key, 'response')};`,
    `  own: ${name}_own;`,
    `  views: ${object(views)};`,
    `  one: ${object(leads('one'))};`,
    `  many: ${object(leads('many'))};`,
    `  where: ${object(where)};`,
    `  sort: ${anyOf(sorts)};`,
    `  texts: ${anyOf(texts.map(({ member }) => member))};`,
    `  acts: ${anyOf(acts)};`,
    `  created: ${written('create')};`,
    `  changed: ${written('update')};`,
    '};',
  ];
}
