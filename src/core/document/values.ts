import type { Field, ValueSpec } from '../model/field.ts';
import type { Model } from '../model/model.ts';
import { longestOf } from '../rules/tests.ts';
import { capitalized, ended, withArticle } from '../text/names.ts';
import type { Components } from './components.ts';
import { isSameSchema, objectOf, orNull } from './json-schema.ts';
import type { JsonSchema } from './json-schema.ts';
import { typeName } from './type-name.ts';

/**
 * On the side of requests a value may come in forms that are brought to one, and absent members get their default; in
 * answers it has its one form. Of an object that `fields` names parts of, any part may be missing.
 */
export type Side = 'request' | 'response' | 'part';

/** The schema of a value that may not be null. */
function bareSchema(spec: ValueSpec, side: Side): JsonSchema {
  switch (spec.type) {
    case 'string':
    case 'text':
      return { type: 'string' };
    case 'secret':
      return { type: 'string', format: 'password' };
    case 'json':
      return { type: ['object', 'array', 'string', 'number', 'boolean'] };
    case 'array': {
      const items = spec.items!;
      return { type: 'array', items: valueSchema({ ...items, rules: { ...items.rules, required: true } }, side) };
    }
    case 'object':
      return propertiesSchema(spec.properties!, side);
    case 'integer':
      if (spec.rules.enum !== undefined || spec.rules.const !== undefined) return { type: 'integer' };
      return { type: 'integer', minimum: Number.MIN_SAFE_INTEGER, maximum: Number.MAX_SAFE_INTEGER };
    case 'number':
      return { type: 'number' };
    case 'boolean':
      return { type: 'boolean' };
    case 'decimal': {
      const digits =
        spec.scale === 0 ? '' : side === 'request' ? `(\\.\\d{1,${spec.scale}}0*)?` : `\\.\\d{${spec.scale}}`;
      return { type: side === 'request' ? ['string', 'number'] : 'string', pattern: `^-?\\d+${digits}$` };
    }
    case 'time':
      return {
        type: 'string',
        pattern: `^([01]\\d|2[0-3]):[0-5]\\d:[0-5]\\d(\\.\\d${side === 'request' ? '{1,3}0*' : '{3}'})?$`,
      };
    case 'date-time':
      // Finer than a millisecond is refused, which the format alone allows.
      return {
        type: 'string',
        format: 'date-time',
        pattern: side === 'request' ? '^[^.]+(\\.\\d{1,3})?([Zz]|[+-]\\d\\d:\\d\\d)$' : '\\.\\d{3}Z$',
      };
    default:
      return { type: 'string', format: spec.type };
  }
}

/** The members of an object, by their names. */
export function propertiesSchema(properties: ReadonlyMap<string, ValueSpec>, side: Side): JsonSchema {
  const needed = [...properties].filter(([, { rules }]) => isThere(rules, side)).map(([name]) => name);
  return objectOf(
    Object.fromEntries([...properties].map(([name, property]) => [name, valueSchema(property, side)])),
    needed,
  );
}

/**
 * Whether an object can't be without a member: in a request where nothing takes its place, in an answer where one has.
 */
function isThere({ required, default: usual, hasDefault }: ValueSpec['rules'], side: Side): boolean {
  return side === 'part' ? false : side === 'request' ? required && !hasDefault : required || usual !== undefined;
}

/**
 * The rules that JSON Schema has a word for. Those of a decimal compare numbers, and its JSON is text: they go in
 * words.
 */
function ruleKeywords(spec: ValueSpec): JsonSchema {
  const { rules } = spec;
  const keywords: JsonSchema = {};
  const put = (keyword: string, value: unknown): void => {
    if (value !== undefined) keywords[keyword] = value;
  };
  const isText = ['string', 'text', 'secret'].includes(spec.type);
  // A required text may not be empty, whatever its other rules.
  const least = rules.required && isText ? (rules.minLength ?? 1) : rules.minLength;
  put('minLength', least);
  put('maxLength', longestOf(spec));
  put('pattern', spec.parts === undefined ? rules.pattern : `^[^,]+(,[^,]+){${spec.parts.length - 1}}$`);
  put('format', rules.format);
  if (spec.type !== 'decimal') {
    put('minimum', rules.minimum);
    put('maximum', rules.maximum);
    put('exclusiveMinimum', rules.exclusiveMinimum);
    put('exclusiveMaximum', rules.exclusiveMaximum);
    put('multipleOf', rules.multipleOf);
  }
  put('minItems', rules.minItems);
  put('maxItems', rules.maxItems);
  if (rules.uniqueItems) put('uniqueItems', true);
  put('const', rules.const);
  put('enum', rules.enum);
  return keywords;
}

/** The description of a value: its own, and the rules that JSON Schema cannot express. */
function describe(spec: ValueSpec, side: Side, whose: Whose | undefined): string | undefined {
  const { rules } = spec;
  const words: string[] = [];
  if (spec.description !== undefined) words.push(ended(spec.description));
  if (whose?.field.refersTo !== undefined) {
    const part = whose.model.parent?.field === whose.field ? ' that it is a part of' : '';
    words.push(`The key of ${withArticle(whose.field.refersTo)}${part}.`);
  }
  words.push(...partWords(spec));
  if (spec.type === 'decimal') {
    const bounds = (
      [
        ['at least', rules.minimum],
        ['at most', rules.maximum],
        ['more than', rules.exclusiveMinimum],
        ['less than', rules.exclusiveMaximum],
        ['a multiple of', rules.multipleOf],
      ] as const
    ).filter(([, bound]) => bound !== undefined);
    if (bounds.length > 0) words.push(`${bounds.map(([word, bound]) => `${word} ${bound}`).join(', ')}.`);
  }
  if (side === 'request') words.push(...changesInWords(spec));
  if (rules.immutable && !rules.readOnly) words.push('Can not be changed once it is set.');
  if (whose?.field.drawnOn === true) words.push('Other records draw on it.');
  if (whose?.model.unique.some((set) => set.length === 1 && set[0]!.member === whose.field.member) === true) {
    words.push('No two records have the same.');
  }
  return words.length === 0 ? undefined : capitalized(words.join(' '));
}

/** How a key of several values is written. */
export function partWords({ parts }: ValueSpec): string[] {
  if (parts === undefined) return [];
  const names = parts.map(({ member }) => `\`${member}\``).join(', ');
  return [`The values of ${names}, with commas between: in a text, % is written %25, and a comma %2C.`];
}

/** What is done to a text before its rules are looked at, which therefore don't bind what is sent. */
function changesInWords({ rules, type }: ValueSpec): string[] {
  const isChanged = rules.trim || rules.letters !== undefined;
  if (!isChanged) return [];
  const least = rules.minLength ?? (rules.required && type !== 'email' && type !== 'uri' ? 1 : undefined);
  const form = rules.format ?? (['email', 'uri'].includes(type) ? type : undefined);
  const bounds = [
    ...(rules.trim && form !== undefined ? [`a text of the format ${form}`] : []),
    ...(least === undefined ? [] : [`${least} characters or more`]),
    ...(rules.maxLength === undefined ? [] : [`${rules.maxLength} or fewer`]),
    ...(rules.pattern === undefined ? [] : [`matches ${rules.pattern}`]),
    ...(rules.enum === undefined ? [] : [`one of ${rules.enum.join(', ')}`]),
    ...(rules.const === undefined ? [] : [JSON.stringify(rules.const)]),
  ];
  return [
    ...(rules.trim ? ['Blanks at both ends are cut off.'] : []),
    ...(rules.letters === undefined ? [] : [`Kept in ${rules.letters} case.`]),
    ...(bounds.length === 0 ? [] : [`After that it must be: ${bounds.join(', ')}.`]),
  ];
}

/** The field that a value is, and its model. */
interface Whose {
  readonly field: Field;
  readonly model: Model;
}

/** A schema with annotations that do not belong to the values. */
interface Parts {
  readonly schema: JsonSchema;
  readonly notes: JsonSchema;
}

function partsOf(spec: ValueSpec, side: Side, whose: Whose | undefined): Parts {
  const { rules } = spec;
  const changes = side === 'request' && (rules.trim || rules.letters !== undefined);
  const type = bareSchema(spec, side);
  // What is given back to a stock may bring it above its maximum, which binds those who set it.
  const bound = side !== 'request' && whose?.field.drawnOn === true ? { ...rules, maximum: undefined } : rules;
  const all = ruleKeywords({ ...spec, rules: bound });
  const keywords = changes ? withoutTextRules(all, rules.letters === undefined) : all;
  const schema: JsonSchema = { ...type, ...keywords };
  if (type.pattern !== undefined && keywords.pattern === undefined) schema.pattern = type.pattern;
  // A text whose blanks are cut off may be sent with some around it.
  if (changes && rules.trim) delete schema.format;
  const description = describe(spec, side, whose);
  return {
    schema,
    notes: {
      ...(description === undefined ? {} : { description }),
      ...(side === 'request' && rules.default !== undefined ? { default: rules.default } : {}),
      ...(rules.readOnly ? { readOnly: true } : {}),
      ...(rules.writeOnly ? { writeOnly: true } : {}),
      ...(spec.deprecated === true ? { deprecated: true } : {}),
      ...(spec.examples.length > 0 ? { examples: spec.examples } : {}),
    },
  };
}

/** The schema of a value, with its annotations. */
export function valueSchema(spec: ValueSpec, side: Side, whose?: Whose, isNull = !spec.rules.required): JsonSchema {
  const { schema, notes } = partsOf(spec, side, whose);
  return { ...(isNull ? orNull(schema) : schema), ...notes };
}

/** Names of components that a member's can't take: those of a model's own. */
const OWN_WORDS = ['create', 'replace', 'update', 'part', 'key', 'some', 'view', 'list', 'may', 'written'];

/**
 * The schema of one member of a model's records. Choices, lists and objects are components of their own: requests and
 * answers share them where they are the same.
 */
export function memberSchema(
  components: Components,
  field: Field,
  model: Model,
  side: Side,
  isNull = !field.rules.required,
): JsonSchema {
  const whose = { field, model };
  const { schema, notes } = partsOf(field, side, whose);
  const isChoice = field.rules.enum !== undefined || field.rules.const !== undefined;
  const isNamed = field.type === 'array' || field.type === 'object' || isChoice;
  if (!isNamed) return { ...(isNull ? orNull(schema) : schema), ...notes };
  const answered = partsOf(field, 'response', whose).schema;
  const suffix = isSameSchema(schema, answered) ? '' : side === 'part' ? '.part' : '.input';
  const name = `${typeName(model)}.${field.member}${OWN_WORDS.includes(field.member) ? '-' : ''}${suffix}`;
  const ref = { ...components.ref('schemas', name, () => schema) };
  return { ...(isNull ? orNull(ref) : ref), ...notes };
}

/** A text that only loses blanks is never shorter before than it must be after. */
function withoutTextRules(keywords: JsonSchema, keepsLeast: boolean): JsonSchema {
  const { minLength, maxLength: _most, pattern: _pattern, enum: _enum, const: _const, ...rest } = keywords;
  return keepsLeast && minLength !== undefined ? { ...rest, minLength } : rest;
}
