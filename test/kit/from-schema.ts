import { own } from '../../src/core/text/own.ts';
import fc from 'fast-check';

type Tree = Readonly<Record<string, unknown>>;

/**
 * Values that a JSON Schema 2020-12 allows, as far as documents of services use it. `root` is what references go into.
 */
export function valuesOf(root: Tree, given: unknown): fc.Arbitrary<unknown> {
  const schema = given as Tree;
  if (typeof schema.$ref === 'string') return valuesOf(root, at(root, schema.$ref));
  const choices = (schema.anyOf ?? schema.oneOf) as readonly unknown[] | undefined;
  if (choices !== undefined && schema.type === undefined) return fc.oneof(...choices.map((one) => valuesOf(root, one)));
  if (schema.const !== undefined) return fc.constant(schema.const);
  if (schema.enum !== undefined) return fc.constantFrom(...(schema.enum as unknown[]));
  if (schema.type === undefined) return anything;
  const types = (Array.isArray(schema.type) ? schema.type : [schema.type]) as string[];
  return fc.oneof(...types.map((type) => typed(root, schema, type)));
}

const at = (root: Tree, place: string): unknown =>
  place
    .slice(2)
    .split('/')
    .reduce<unknown>((inside, step) => (inside as Tree)[decodeURIComponent(step)], root);

/** JSON without the name that no body may have. */
export const anything = fc.jsonValue({ maxDepth: 2 }).filter((value) => !JSON.stringify(value).includes('__proto__'));

function typed(root: Tree, schema: Tree, type: string): fc.Arbitrary<unknown> {
  switch (type) {
    case 'null':
      return fc.constant(null);
    case 'boolean':
      return fc.boolean();
    case 'integer':
    case 'number':
      return numbers(schema, type);
    case 'string':
      return texts(schema);
    case 'array': {
      const {
        minItems = 0,
        maxItems = 3,
        uniqueItems,
      } = schema as { minItems?: number; maxItems?: number; uniqueItems?: boolean };
      const [items, bounds] = [
        schema.items === undefined ? anything : valuesOf(root, schema.items),
        { minLength: minItems, maxLength: Math.min(maxItems, 3) },
      ];
      return uniqueItems === true
        ? fc.uniqueArray(items, { ...bounds, selector: (item) => JSON.stringify(item) })
        : fc.array(items, bounds);
    }
    default: {
      if (schema.properties === undefined) return fc.dictionary(fc.constantFrom('a', 'b'), anything, { maxKeys: 2 });
      const properties = schema.properties as Record<string, unknown>;
      const members = Object.entries(properties).map(([name, one]) => [name, valuesOf(root, one)] as const);
      const needed = (schema.required ?? []) as string[];
      return fc.record(Object.fromEntries(members), { requiredKeys: needed });
    }
  }
}

function numbers(schema: Tree, type: string): fc.Arbitrary<number> {
  const { minimum, maximum, exclusiveMinimum, exclusiveMaximum, multipleOf = 1 } = schema as Record<string, number>;
  const low = minimum ?? (exclusiveMinimum === undefined ? -1e6 : exclusiveMinimum + multipleOf);
  const high = maximum ?? (exclusiveMaximum === undefined ? 1e6 : exclusiveMaximum - multipleOf);
  const whole = fc
    .integer({ min: Math.max(-1e6, Math.ceil(low / multipleOf)), max: Math.min(1e6, Math.floor(high / multipleOf)) })
    .map((n) => n * multipleOf);
  if (type === 'integer' || schema.multipleOf !== undefined) return whole;
  // Of a decimal, whose text has a pattern, so many digits are taken.
  return schema.pattern === undefined
    ? fc.oneof(whole, fc.double({ min: low, max: high, noNaN: true, noDefaultInfinity: true }))
    : whole;
}

const FORMATS: Readonly<Record<string, fc.Arbitrary<string>>> = {
  date: fc
    .date({ min: new Date('1900-01-01'), max: new Date('2100-01-01'), noInvalidDate: true })
    .map((date) => date.toISOString().slice(0, 10)),
  'date-time': fc
    .date({ min: new Date('1900-01-01'), max: new Date('2100-01-01'), noInvalidDate: true })
    .map((date) => date.toISOString()),
  uuid: fc.uuid(),
  email: fc.stringMatching(/^[a-z]{1,8}@[a-z]{1,8}\.example$/),
  uri: fc.stringMatching(/^https:\/\/[a-z]{1,8}\.example\/[a-z]{0,8}$/),
  ipv4: fc.ipV4(),
  password: fc.string({ minLength: 8, maxLength: 12 }),
};

function texts(schema: Tree): fc.Arbitrary<string> {
  const { minLength = 0, maxLength = 20 } = schema as { minLength?: number; maxLength?: number };
  const fits = (text: string): boolean =>
    [...text].length >= minLength && [...text].length <= maxLength && text.isWellFormed() && !text.includes('\0');
  // One digit at the ends of a decimal is as good as many.
  const formatted = own(FORMATS, String(schema.format));
  if (formatted !== undefined) return formatted;
  if (typeof schema.pattern === 'string')
    return fc
      .stringMatching(new RegExp(schema.pattern.replaceAll('\\d+', '\\d{1,6}').replaceAll('0*', '0{0,2}'), 'u'))
      .filter(fits);
  return fc.string({ minLength, maxLength: Math.min(maxLength, 30), unit: 'binary' }).filter(fits);
}
