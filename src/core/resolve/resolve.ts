import type { IdentityDeclaration } from '../declaration/declarations.ts';
import type { Path } from '../declaration/declared.ts';
import { usualEndpoints } from '../declaration/model-shape.ts';
import type { ProblemCode } from '../declaration/problem-codes.ts';
import type { Problem } from '../declaration/problem.ts';
import { reporterOf } from '../declaration/reporter.ts';
import type { Reporter } from '../declaration/reporter.ts';
import { describeKind } from '../expression/kinds.ts';
import { letters } from '../expression/letters.ts';
import { callerNames } from '../expression/name-scope.ts';
import type { NameScope } from '../expression/name-scope.ts';
import type { Field } from '../model/field.ts';
import type { Graph } from '../model/graph.ts';
import type { Identity } from '../model/identity.ts';
import { byColumn, withKey } from '../model/indexes.ts';
import { partsOf } from '../model/joined-key.ts';
import type { Model, SortKey } from '../model/model.ts';
import type { FieldValue } from '../model/scalar.ts';
import type { ServiceSettings } from '../model/service.ts';
import { stampsIn } from '../model/stamps.ts';
import type { Catalogue } from '../tables/catalogue.ts';
import { isScalar } from '../model/types.ts';
import { pluralOf, tableOf, underscored } from '../text/names.ts';
import { didYouMean } from '../text/nearest.ts';
import { drawnOnBy, drawsOf } from './draws.ts';
import { declaredExpression } from './expression.ts';
import { stampsOf } from './field.ts';
import { labelOf, makeFormulas, rulesOf, stored } from './formulas.ts';
import type { Formulas } from './formulas.ts';
import { accessOf } from './grants.ts';
import { resolveIdentity } from './identity.ts';
import { fitFields, hasOwnTables } from './fit.ts';
import { boundLetters } from './longest.ts';
import { defaultsOf } from './defaults.ts';
import { draftOf } from './model-draft.ts';
import type { DeclaredModel, Draft, Drafts, Skeleton, Skeletons } from './model-draft.ts';
import { joinParts, keySetOf } from './key-parts.ts';
import { operationsOf } from './operations.ts';
import { orderByReference } from './order.ts';
import { ownerOf } from './owner.ts';
import { relatedOf } from './relations.ts';
import type { DefaultReader } from './value-spec.ts';
import { viewsOf } from './views.ts';

export interface Declarations {
  readonly service: ServiceSettings;
  readonly identity?: IdentityDeclaration;
  /** Where the identity is declared. */
  readonly identityReport: Reporter;
  readonly models: readonly DeclaredModel[];
  /** The models that have hooks; undefined where the project's code was not read. */
  readonly hooked?: ReadonlySet<string> | undefined;
  /** Models whose files could not be read. */
  readonly lost: ReadonlySet<string>;
  /** What a database that was there already says of itself. */
  readonly catalogue?: Catalogue | undefined;
}

/** Resolves every name in the declarations, and freezes the result. The graph is sound only without errors. */
export function resolve(declarations: Declarations, problems: Problem[]): Graph {
  const { service, identityReport } = declarations;
  const readDefault = defaultReader(declarations);
  const drafts = draftsOf(declarations, readDefault, problems);
  const identity = resolveIdentity(declarations.identity, drafts, identityReport);
  const skeletons: Skeletons = new Map(
    [...drafts.values()].map((draft) => [draft.declaration.model, skeletonOf(draft, drafts)]),
  );
  for (const draft of drafts.values()) checkCircle(draft, drafts);
  joinParts(skeletons);

  const scopeOf = (model: Skeleton | undefined): NameScope => ({
    model,
    models: skeletons,
    computed: (name, value) => formulas.find(name, value)?.value,
    computedNames: (name) => formulas.names(name),
    isBroken: (name, member) => skeletons.get(name)?.isBroken(member) ?? false,
    letters,
    withoutLetters: declarations.catalogue !== undefined && !hasOwnTables(declarations.catalogue),
    caller: identity && callerNames(identity, drafts.get(identity.model)!.key),
  });
  const formulas = makeFormulas(skeletons, scopeOf);
  const single = uniqueEnds(skeletons);
  const nobody = identity === undefined && declarations.identity !== undefined;
  const partsOf = partsByWhole(skeletons);
  const parts: Parts = { skeletons, partsOf, formulas, identity, readDefault, scopeOf, single, nobody };
  const models = orderByReference([...skeletons.values()].map((skeleton) => modelFrom(skeleton, parts)));
  boundLetters(models);
  if (declarations.catalogue !== undefined) fitFields(models, declarations.catalogue);
  const frozen = models.map(freeze);
  const byName = new Map(frozen.map((model) => [model.name, model]));
  return Object.freeze({ service, identity, models: Object.freeze(frozen), byName });
}

function draftsOf({ models, lost, hooked }: Declarations, readDefault: DefaultReader, problems: Problem[]): Drafts {
  const drafts = new Map<string, Draft>();
  const drawnOn = drawnOnBy(models);
  for (const model of models) {
    const { declaration, document } = model;
    const report = reporterOf(document, problems);
    const other = drafts.get(declaration.model);
    if (other !== undefined) {
      const { file, line } = other.document.at(['model']);
      const message = `there is another model ${declaration.model}, in ${file}:${line}`;
      report.error('duplicate-model', message, 'give one of them another name', ['model']);
    } else
      drafts.set(
        declaration.model,
        draftOf(model, report, readDefault, drawnOn, hooked?.has(declaration.model) ?? true),
      );
  }
  return Object.assign(drafts, { lost });
}

/** Reads `default: { expr: … }`: over no record, unless it is told what names mean. */
function defaultReader({ models, identity }: Declarations): DefaultReader {
  const callers = models.find(({ declaration }) => declaration.model === identity?.model);
  // That model's problems are reported with it.
  const key =
    callers === undefined ? undefined : draftOf(callers, reporterOf(callers.document, []), () => () => undefined).key;
  const alone: NameScope = {
    models: new Map(),
    computed: () => undefined,
    computedNames: () => [],
    letters,
    caller: key === undefined ? undefined : { key },
  };
  return (text, spec, report, { start, remedy } = { start: 0, remedy: 'change the type, or the default' }) =>
    (over) => {
      const scope = over === undefined ? alone : { ...over, caller: over.caller ?? alone.caller };
      const expression = declaredExpression(text, 'value', scope, report, [], start);
      if (expression === undefined) return undefined;
      const value = isScalar(spec.type) ? stored(expression, spec) : undefined;
      if (value === undefined) {
        const message = `this is ${describeKind(expression.type)}, and the type is ${spec.type}`;
        report.error('wrong-type', message, remedy, []);
      }
      return value;
    };
}

function skeletonOf(draft: Draft, drafts: Drafts): Skeleton {
  const { declaration, key } = draft;
  const { parent, relations, links, reverses } = relatedOf(draft, drafts);
  const keySet = key.parts === undefined ? [key] : keySetOf(draft, relations);
  const stamps = stampsOf(declaration.stamps);
  const fields = [
    ...new Set([
      key,
      ...keySet,
      ...(parent === undefined ? [] : [parent.field]),
      ...draft.declared.values(),
      ...relations.map((relation) => relation.field),
      ...stampsIn(stamps),
    ]),
  ];
  const shown = fields.filter((field) => !field.rules.writeOnly);
  const byMember = new Map(fields.map((field) => [field.member, field]));
  const shownByMember = new Map(shown.map((field) => [field.member, field]));
  const found = new Set([...relations, ...links, ...reverses].map(({ name }) => name));
  const declared = [
    ...Object.keys(declaration.relations ?? {}),
    ...(declaration.within === undefined ? [] : [underscored(declaration.within)]),
  ];
  const isBroken = (name: string): boolean =>
    Object.hasOwn(declaration.computed ?? {}, name) || (declared.includes(name) && !found.has(name));
  const name = declaration.model;
  return {
    name,
    draft,
    key,
    keySet,
    stamps,
    fields,
    byMember,
    shown,
    shownByMember,
    relations,
    links,
    reverses,
    parent,
    isBroken,
  };
}

/** Relations that `one: true` at their other end makes unique: the names of their models, and their own. */
function uniqueEnds(skeletons: Skeletons): ReadonlySet<string> {
  const ends = [...skeletons.values()].flatMap((model) => model.reverses.filter(({ one }) => one));
  return new Set(ends.map(({ source, relation }) => `${source}.${relation}`));
}

function partsByWhole(skeletons: Skeletons): Parts['partsOf'] {
  const parts = new Map<string, Skeleton[]>();
  for (const skeleton of skeletons.values()) {
    const whole = skeleton.parent?.target;
    if (whole !== undefined) parts.set(whole, [...(parts.get(whole) ?? []), skeleton]);
  }
  return (model) => parts.get(model) ?? [];
}

/** What the models are put together from. */
interface Parts {
  readonly skeletons: Skeletons;
  /** The models within a model. */
  partsOf(model: string): readonly Skeleton[];
  readonly formulas: Formulas;
  readonly identity?: Identity;
  readonly readDefault: DefaultReader;
  readonly scopeOf: (model: Skeleton) => NameScope;
  readonly single: ReadonlySet<string>;
  /** An identity is declared, and wrong: uses of it are not reported. */
  readonly nobody: boolean;
}

function modelFrom(skeleton: Skeleton, parts: Parts): Model {
  const { skeletons, formulas, identity } = parts;
  const { draft, name, key, parent } = skeleton;
  const { declaration } = draft;
  const scope = parts.scopeOf(skeleton);
  const owner = parts.nobody ? undefined : ownerOf(skeleton, skeletons, identity?.model);
  const operations = operationsOf(skeleton, parts.partsOf(name), skeletons, parts.readDefault);
  const { unique, indexes } = setsOf(skeleton, parts.single);
  return {
    name,
    plural: declaration.plural ?? pluralOf(name),
    table: tableOf(declaration),
    description: declaration.description,
    deprecated: declaration.deprecated,
    keyKind: draft.keyKind,
    key,
    fields: skeleton.fields,
    byMember: skeleton.byMember,
    shown: skeleton.shown,
    shownByMember: skeleton.shownByMember,
    ...defaultsOf(skeleton, scope),
    relations: skeleton.relations,
    links: skeleton.links,
    reverses: skeleton.reverses,
    parent,
    parts: parts.partsOf(name).map((part) => part.name),
    owner,
    stamps: skeleton.stamps,
    sort: sortOf(skeleton),
    label: labelOf(skeleton, scope),
    computed: formulas.of(name),
    rules: rulesOf(skeleton, scope),
    unique,
    indexes,
    endpoints: new Set(declaration.endpoints ?? usualEndpoints),
    conditional: declaration.conditional === 'required',
    access: accessOf(skeleton, {
      skeletons,
      identity,
      owner,
      scope,
      operations,
      told: new Set(parts.nobody ? ['no-identity'] : []),
    }),
    ...viewsOf(skeleton, { skeletons, computedNames: formulas.names }),
    operations,
    draws: drawsOf(skeleton, skeletons, scope),
    journal: declaration.journal ?? false,
    trial: trialOf(skeleton),
  };
}

/** Nothing behind the resolver changes a model: everything that was worked out from it may be kept. */
function freeze(model: Model): Model {
  for (const field of model.fields) Object.freeze(Object.freeze(field).rules);
  for (const part of Object.values(model) as unknown[]) if (Array.isArray(part)) Object.freeze(part);
  return Object.freeze(model);
}

type Tell = (code: ProblemCode, message: string, remedy: string) => void;

/** The field that a name means, if records can be sorted, distinguished or looked up by it. */
function comparable(model: Skeleton, name: string, tell: Tell, otherwise: string): Field | undefined {
  const field = model.byMember.get(name) ?? model.relations.find((relation) => relation.name === name)?.field;
  if (field === undefined) {
    const known = [...model.byMember.keys(), ...model.relations.map((relation) => relation.name)];
    const message = `${model.name} has no field or relation \`${name}\``;
    if (!model.isBroken(name)) tell('unknown-field', message, didYouMean(name, known));
    return undefined;
  }
  if (field.parts !== undefined && field === model.key) {
    const names = model.keySet.map(({ member }) => member).join(' and ');
    tell('not-comparable', `\`${name}\` is put together of several fields`, `name ${names}`);
    return undefined;
  }
  if (isScalar(field.type)) return field;
  const article = /^[aeiou]/.test(field.type) ? 'an' : 'a';
  tell('not-comparable', `\`${name}\` is ${article} ${field.type}, and ${otherwise}`, 'name fields of single values');
  return undefined;
}

function setsOf(model: Skeleton, single: ReadonlySet<string>): { unique: Field[][]; indexes: Field[][] } {
  const { declaration, report } = model.draft;
  const telling =
    (path: Path): Tell =>
    (code, message, remedy) =>
      report.error(code, message, remedy, path);
  const sets = (key: 'unique' | 'index'): Field[][] =>
    (declaration[key] ?? []).map((names, at) =>
      names
        .map((name, index) => comparable(model, name, telling([key, at, index]), 'no index goes over such values'))
        .filter((field) => field !== undefined),
    );
  const ofOneField = Object.entries(declaration.fields ?? {}).flatMap(([name, rule]) => {
    if (rule?.unique === undefined || rule.unique === false) return [];
    const field = model.byMember.get(name)!;
    if (!isScalar(field.type)) return [];
    const within = rule.unique === true ? [] : rule.unique;
    const others = within.map((other, index) =>
      comparable(model, other, telling(['fields', name, 'unique', index]), 'no index goes over such values'),
    );
    return [[...others.filter((other) => other !== undefined), field]];
  });
  const ofKey = model.key.parts === undefined ? [] : [[...model.keySet]];
  const ofOneEnd = model.relations
    .filter(({ name }) => single.has(`${model.name}.${name}`))
    .map(({ field }) => [field]);
  return {
    unique: withoutRepeats([...ofKey, ...ofOneField, ...ofOneEnd, ...sets('unique')]),
    indexes: withoutRepeats(sets('index')),
  };
}

/** The declared order, made total by the key at its end. */
function sortOf(model: Skeleton): SortKey[] {
  const { report, declaration } = model.draft;
  const keys: SortKey[] = [];
  let from = 0;
  for (const part of declaration.sort?.split(',') ?? []) {
    const name = part.trim().replace(/^-/, '');
    const start = from + part.indexOf(name);
    const tell = (code: ProblemCode, message: string, remedy: string): void =>
      report.errorIn(code, message, remedy, ['sort'], start, start + Math.max(name.length, 1));
    from += part.length + 1;
    const field = comparable(model, name, tell, 'such values have no order');
    if (field === undefined) continue;
    const shown = `\`${name}\``;
    if (field.rules.writeOnly)
      tell('secret-shown', `the order would tell of ${shown}, which is never shown`, 'sort by another field');
    else if (keys.some((key) => partsOf(field).includes(key.field)))
      tell('duplicate-value', `this order has ${shown} twice`, 'keep one');
    else keys.push(...byColumn([{ field, descending: part.trim().startsWith('-') }]));
  }
  return withKey(keys, model);
}

function trialOf(model: Skeleton): Model['trial'] {
  const { declaration, report } = model.draft;
  const { example = {}, skip = [] } = declaration.trial ?? {};
  for (const name of Object.keys(example)) {
    if (model.byMember.has(name) || model.links.some(({ member }) => member === name)) continue;
    const message = `${model.name} has no member \`${name}\``;
    report.error('unknown-field', message, didYouMean(name, model.byMember.keys()), ['trial', 'example', name], 'key');
  }
  return { example: example as Record<string, FieldValue>, skip };
}

/** A record cannot be its own parent, by any number of steps. */
function checkCircle(draft: Draft, drafts: Drafts): void {
  const seen = [draft.declaration.model];
  for (let up = draft.declaration.within; up !== undefined; up = drafts.get(up)?.declaration.within) {
    if (up === seen[0]) {
      const circle = [...seen, up].join(' within ');
      draft.report.error('circle-of-parts', `a circle: ${circle}`, 'use a relation for one of them', ['within']);
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
