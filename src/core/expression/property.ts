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
type End =
  | { readonly kind: 'value'; readonly value: Expression }
  | { readonly kind: 'many'; readonly many: Many; readonly value?: Expression };

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
export function resolveMany(property: Property, scope: NameScope): (End & { kind: 'many' }) | undefined {
  const end = endOf(property, scope);
  return end.kind === 'many' ? end : undefined;
}

function endOf(property: Property, scope: NameScope): End {
  const { model } = scope;
  if (model === undefined) {
    const message = `there is no record here that has \`${property.path.join('.')}\``;
    throw new ExpressionError('unknown-property', message, 'use now(), today(), me() or a constant', property.spot);
  }
  return walkPath(model, property.path, property, scope, (value) => value);
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
    const many: Many = { of: wrap(behind(fieldExpression(model.key))), via: keys, target: keys.target, guard };
    return { kind: 'many', many, value: fieldExpression(scope.models.get(keys.target)!.key) };
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
  const many: Many = { of: wrap(fieldExpression(model.key)), via, target, guard };
  if (rest.length === 0) return { kind: 'many', many };
  const inside = walkPath(scope.models.get(target)!, rest, property, scope, (value) => value);
  if (inside.kind === 'value') return { kind: 'many', many, value: inside.value };
  const message = `\`${property.path.join('.')}\` goes through two relations to many`;
  throw new ExpressionError('wrong-type', message, 'a path may go through one', property.spot);
}

export const fieldExpression = (field: Field): Expression => ({ op: 'field', field, inside: [], type: kindOf(field) });

/** A field, or a member inside an object. */
function fieldValue(field: Field, inside: readonly string[], property: Property): Expression {
  let spec: ValueSpec = field;
  for (const [at, name] of inside.entries()) {
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
  const known = [
    ...model.shownByMember.keys(),
    ...scope.computedNames(model.name),
    ...relatedNames(model),
    ...model.links.flatMap(({ member }) => member ?? []),
  ].filter((member) => scope.sees?.(model.name, member) !== false);
  const message = `${model.name} has no field or relation \`${name}\``;
  return new ExpressionError('unknown-property', message, didYouMean(name, known), spot);
}
