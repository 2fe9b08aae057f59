import type { PropertyShape, Shape } from './table.ts';

/** One thing that changes inside of values that hold others. */
export interface InsideChange {
  readonly kind: 'gone' | 'new' | 'renamed' | 'changed';
  /** The names that lead to it, `*` for each item of an array: those before the change, or those of what is new. */
  readonly path: readonly string[];
  readonly before?: PropertyShape | Shape;
  readonly after?: PropertyShape | Shape;
}

/** `address.street`: how people name what a path leads to. */
export const pathText = (path: readonly string[]): string => path.filter((step) => step !== '*').join('.');

/** What differs between two shapes; nothing where one of them is not known. */
export function insideChanges(
  before: Shape | undefined,
  after: Shape | undefined,
  path: readonly string[] = [],
): InsideChange[] {
  if (before === undefined || after === undefined) return [];
  const changes: InsideChange[] = [];
  if (path.length > 0 && formOf(before) !== formOf(after)) changes.push({ kind: 'changed', path, before, after });
  if (before.items !== undefined && after.items !== undefined) {
    changes.push(...insideChanges(before.items, after.items, [...path, '*']));
  }
  if (before.properties === undefined || after.properties === undefined) return changes;
  const found = new Set<string>();
  for (const [name, property] of Object.entries(before.properties)) {
    const now = property.becomes ?? name;
    const inner = [...path, name];
    if (!Object.hasOwn(after.properties, now)) {
      changes.push({ kind: 'gone', path: inner, before: property });
      continue;
    }
    found.add(now);
    const next = after.properties[now]!;
    if (now !== name) changes.push({ kind: 'renamed', path: inner, before: property, after: next });
    changes.push(...insideChanges(property, next, inner));
  }
  for (const [name, property] of Object.entries(after.properties)) {
    if (!found.has(name)) changes.push({ kind: 'new', path: [...path, name], after: property });
  }
  return changes;
}

const formOf = (shape: Shape | PropertyShape): string =>
  JSON.stringify([shape.type, shape.scale, 'required' in shape && shape.required]);

/** A shape with the new name of each member that has one: `hut.address.street` became `hut.address.road`. */
export function withNewNames<Of extends Shape>(shape: Of, called: string, renames: ReadonlyMap<string, string>): Of {
  if (shape.items !== undefined) return { ...shape, items: withNewNames(shape.items, called, renames) };
  if (shape.properties === undefined) return shape;
  const properties = Object.entries(shape.properties).map(([name, property]) => {
    const now = renames.get(`${called}.${name}`)?.split('.').at(-1);
    const inner = withNewNames(property, `${called}.${name}`, renames);
    return [name, now === undefined || now === name ? inner : { ...inner, becomes: now }] as const;
  });
  return { ...shape, properties: Object.fromEntries(properties) };
}

/** The names of all members inside of a value: `hut.address.street`. */
export function memberNames(shape: Shape | undefined, called: string): string[] {
  if (shape?.items !== undefined) return memberNames(shape.items, called);
  return Object.entries(shape?.properties ?? {}).flatMap(([name, property]) => [
    `${called}.${name}`,
    ...memberNames(property, `${called}.${name}`),
  ]);
}
