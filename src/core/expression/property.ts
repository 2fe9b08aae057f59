import { kindOf } from '../model/expression.ts';
import type { Expression, Many } from '../model/expression.ts';
import type { Field, ValueSpec } from '../model/field.ts';
import { linksShownAs, relatedNames, stepCalled, viaCalled } from '../model/related.ts';
import { didYouMean } from '../text/nearest.ts';
import type { Nameable, NameScope } from './name-scope.ts';
import { ExpressionError } from './syntax.ts';
import type { Syntax } from './syntax.ts';

export type Property = Syntax & { kind: 'property' };

/** What a path of names ends at: a value, or the values or the records behind a to-many relation. */
type End = { readonly kind: 'value'; readonly value: Expression } | ManyEnd;

interface ManyEnd {
  readonly kind: 'many';
  readonly many: Many;
  readonly value?: Expression;
  /** The names up to the last relation to many, as they are written. */
  readonly path: readonly string[];
}

/** A name as one value. */
export function resolveProperty(property: Property, scope: NameScope): Expression {
  const end = endOf(property, scope);
  if (end.kind === 'value') return end.value;
  const [shown, first] = [property.path.join('.'), property.path[0]!];
  const message = `\`${shown}\` is a list: ${first} may be many`;
  const remedy =
    end.value === undefined
      ? `count them, as count(${shown})`
      : `ask for some of them, as A_CONTAINS(${shown}, ('…')); or use min, max, sum or avg`;
  throw new ExpressionError('wrong-type', message, remedy, property.spot);
}

/** A name as the values or records of a to-many relation; undefined if it is a single value. */
export function resolveMany(property: Property, scope: NameScope): ManyEnd | undefined {
  const end = endOf(property, scope);
  return end.kind === 'many' ? end : undefined;
}

function endOf(property: Property, scope: NameScope): End {
  const { model } = scope;
  if (model === undefined) {
    const message = `there is no record here that has \`${property.path.join('.')}\``;
    throw new ExpressionError('unknown-property', message, 'use now(), today(), me() or a constant', property.spot);
  }
  const { each } = scope;
  if (each === undefined) return walkPath(model, property.path, property, scope, (value) => value);
  const { path } = property;
  if (each.path.every((name, at) => name === path[at])) {
    if (path.length > each.path.length)
      return walkPath(model, path.slice(each.path.length), property, scope, (value) => value);
    const remedy = `name one of their members, as ${path.join('.')}.${model.key.member}`;
    throw new ExpressionError('wrong-type', `\`${path.join('.')}\` is each of the records here`, remedy, property.spot);
  }
  try {
    return fromWithin(endOf(property, each.outer));
  } catch (error) {
    const known = namesOf(model, scope);
    if (!(error instanceof ExpressionError) || error.code !== 'unknown-property' || !known.includes(path[0]!))
      throw error;
    const remedy = `write ${[...each.path, ...path].join('.')}`;
    throw new ExpressionError(error.code, error.message, remedy, error.spot);
  }
}

/** What a name outside a condition over each of many means inside it. */
function fromWithin(end: End): End {
  const outer = (of: Expression): Expression => ({ op: 'outer', of, type: of.type });
  if (end.kind === 'value') return { kind: 'value', value: outer(end.value) };
  const moved = (many: Many): Many =>
    many.through === undefined ? { ...many, of: outer(many.of) } : { ...many, through: moved(many.through) };
  return { ...end, many: moved(end.many) };
}

/** The scope of a condition over each of the records that a name leads to. */
export function eachOf({ many, path }: ManyEnd, scope: NameScope, { spot }: Syntax): NameScope {
  if (scope.each?.outer.each !== undefined) {
    const message = 'this condition stands in a condition that stands in a condition';
    throw new ExpressionError('too-large', message, 'name a computed value that says a part of it', spot);
  }
  return { ...scope, model: scope.models.get(many.target)!, each: { path, outer: scope } };
}

function walkPath(
  model: Nameable,
  path: readonly string[],
  property: Property,
  scope: NameScope,
  wrap: (value: Expression) => Expression,
): End {
  const [name = '', ...rest] = path;
  const permissions = scope.sees?.(model.name, name) ?? true;
  if (permissions === false) throw unknown(model, name, property, scope);
  const seen = (value: Expression): Expression => scope.seen?.(model.name, name, value) ?? value;
  /** A value behind a relation that only some records show. */
  const behind = (value: Expression): Expression =>
    permissions === true ? value : { op: 'when', condition: permissions, of: value, type: value.type };
  const field = model.shownByMember.get(name);
  if (field !== undefined) return { kind: 'value', value: wrap(seen(fieldValue(field, rest, property))) };

  const computed = scope.computed(model.name, name);
  if (computed !== undefined) {
    if (rest.length > 0) throw nothingInside(name, rest[0]!, property);
    return { kind: 'value', value: wrap(seen(computed)) };
  }
  const one = stepCalled(model, name);
  if (one !== undefined) {
    const { step, target } = one;
    if (rest.length === 0) {
      const message = `\`${property.path.join('.')}\` is a record`;
      throw new ExpressionError(
        'wrong-type',
        message,
        `name one of its members, as ${name}.${scope.models.get(target)?.key.member}`,
        property.spot,
      );
    }
    const next = scope.models.get(target)!;
    const guard = scope.guard?.(model.name, step);
    return walkPath(next, rest, property, scope, (of) =>
      wrap(behind({ op: 'at', step, target, of, guard, type: of.type })),
    );
  }
  const keys = linksShownAs(model, name);
  if (keys !== undefined) {
    if (rest.length > 0) throw nothingInside(name, rest[0]!, property);
    const guard = scope.guard?.(model.name, keys);
    const { key } = scope.models.get(keys.target)!;
    const many: Many = { of: wrap(behind(fieldExpression(model.key))), via: keys, target: keys.target, key, guard };
    return { kind: 'many', many, value: fieldExpression(key), path: [...property.path.slice(0, -1), keys.name] };
  }
  const related = viaCalled(model, name);
  if (related !== undefined) return throughMany(model, related, rest, property, scope, (of) => wrap(behind(of)));
  throw unknown(model, name, property, scope);
}

function throughMany(
  model: Nameable,
  { via, target }: NonNullable<ReturnType<typeof viaCalled>>,
  rest: readonly string[],
  property: Property,
  scope: NameScope,
  wrap: (value: Expression) => Expression,
): End {
  const guard = scope.guard?.(model.name, via);
  const next = scope.models.get(target)!;
  const many: Many = { of: wrap(fieldExpression(model.key)), via, target, key: next.key, guard };
  const path = property.path.slice(0, property.path.length - rest.length);
  if (rest.length === 0) return { kind: 'many', many, path };
  const inside = walkPath(next, rest, property, scope, (value) => value);
  if (inside.kind === 'value') return { kind: 'many', many, value: inside.value, path };
  if (inside.many.through === undefined) return { ...inside, many: { ...inside.many, through: many } };
  const message = `\`${property.path.join('.')}\` goes through three relations to many`;
  throw new ExpressionError('wrong-type', message, 'a path may go through two', property.spot);
}

export const fieldExpression = (field: Field): Expression => ({ op: 'field', field, inside: [], type: kindOf(field) });

/** A field, or a member inside an object. */
function fieldValue(field: Field, inside: readonly string[], property: Property): Expression {
  let spec: ValueSpec = field;
  for (const [at, name] of inside.entries()) {
    // Anything may stand in JSON.
    if (spec.type === 'json') return { op: 'field', field, inside, type: kindOf(spec) };
    const next: ValueSpec | undefined = spec.properties?.get(name);
    if (next === undefined) {
      if (spec.properties === undefined)
        throw nothingInside([field.member, ...inside.slice(0, at)].join('.'), name, property);
      const message = `\`${field.member}\` has no \`${name}\``;
      throw new ExpressionError('unknown-property', message, didYouMean(name, spec.properties.keys()), property.spot);
    }
    spec = next;
  }
  return { op: 'field', field, inside, type: kindOf(spec) };
}

const nothingInside = (name: string, inside: string, { spot }: Property): ExpressionError =>
  new ExpressionError(
    'unknown-property',
    `\`${name}\` has nothing inside it called \`${inside}\``,
    `write ${name} alone`,
    spot,
  );

function unknown(model: Nameable, name: string, { spot }: Property, scope: NameScope): ExpressionError {
  if (scope.strange !== undefined && model.byMember.has(name)) {
    const message = `\`${name}\` is never shown, so nothing can be made of it`;
    return new ExpressionError('hidden', message, 'name another field', spot);
  }
  if (scope.isBroken?.(model.name, name) === true)
    return new ExpressionError('told', `\`${name}\` is wrong`, 'mend it', spot);
  const message = `${model.name} has no field or relation \`${name}\``;
  return new ExpressionError('unknown-property', message, didYouMean(name, namesOf(model, scope)), spot);
}

/** The names of a model that the author of an expression may know. */
const namesOf = (model: Nameable, scope: NameScope): string[] =>
  [
    ...model.shownByMember.keys(),
    ...scope.computedNames(model.name),
    ...relatedNames(model),
    ...model.links.flatMap(({ member }) => member ?? []),
  ].filter((member) => scope.sees?.(model.name, member) !== false);
