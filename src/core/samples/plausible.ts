import type { Faker } from '@faker-js/faker';
import type { Field, ValueSpec } from '../model/field.ts';
import type { Model } from '../model/model.ts';
import type { FieldValue } from '../model/scalar.ts';
import { isWritten } from '../model/types.ts';
import { singularOf } from '../text/names.ts';
import { exampleValue, inCase, isSound, onGrid, stepOf } from '../rules/examples.ts';

/** Made-up dates stand around this one, so that the same number makes the same records on any day. */
const AROUND = new Date('2026-06-01T00:00:00Z');
const TRIES = 8;
const MOST_TURNS = 1_000_000;

/** A value that looks like one of its field, and keeps its rules; undefined where none was found. */
export function plausibleValue(model: Model, field: Field, faker: Faker): FieldValue | undefined {
  const { rules } = field;
  if (rules.const !== undefined) return rules.const;
  if (rules.enum !== undefined) return faker.helpers.arrayElement(rules.enum);
  for (let tried = 0; tried < TRIES && rules.pattern === undefined; tried += 1) {
    const value = shaped(field, madeUp(model, field, faker), faker);
    if (value !== undefined && isSound(field, value)) return value;
  }
  return exampleValue(field, faker.number.int({ max: MOST_TURNS }), []);
}

/** Texts are cut and written as the rules have it. */
function shaped(field: Field, value: FieldValue | undefined, faker: Faker): NonNullable<FieldValue> | undefined {
  if (typeof value !== 'string' || !isWritten(field.type)) return value ?? undefined;
  const { minLength = 0, maxLength = Infinity } = field.rules;
  let text = value;
  while ([...text].length < minLength) text += ` ${faker.lorem.word()}`;
  const cut = [...text].length > maxLength ? [...text].slice(0, maxLength).join('').trim() : text;
  return inCase(field, cut);
}

function madeUp(model: Model, field: Field, faker: Faker): FieldValue | undefined {
  switch (field.type) {
    case 'string':
    case 'text':
      return textNamed(model, field, faker);
    case 'email':
      return `${faker.internet.username()}${faker.number.int(9999)}@${faker.lorem.word()}.example`.replace(
        /[^\w.@-]/g,
        '',
      );
    case 'uri':
      return `https://${faker.lorem.word()}.example/${faker.lorem.slug(2)}`;
    case 'uuid':
      return faker.string.uuid();
    case 'boolean':
      return faker.datatype.boolean();
    case 'integer':
    case 'number':
    case 'decimal':
      return numberNamed(field, faker);
    case 'date':
      return dateNamed(field.member, faker).toISOString().slice(0, 10);
    case 'date-time':
      return dateNamed(field.member, faker).toISOString();
    case 'time':
      return dateNamed(field.member, faker).toISOString().slice(11, 16) + ':00';
    case 'array':
      return listNamed(model, field, faker);
    case 'object':
      return Object.fromEntries(
        [...field.properties!].map(([name, property]) => [name, insideValue(model, name, property, faker)]),
      );
    default:
      return exampleValue(field, faker.number.int({ max: MOST_TURNS }), []);
  }
}

/** A value inside of another, as of a field of its name. */
const insideValue = (model: Model, name: string, spec: ValueSpec, faker: Faker): FieldValue =>
  plausibleValue(model, { ...spec, member: name, column: name, origin: 'field' }, faker) ?? null;

/** One to three items, or as many as there must be; each once, where that is asked for. */
function listNamed(model: Model, field: Field, faker: Faker): FieldValue {
  const { minItems = 0, maxItems = Infinity, uniqueItems } = field.rules;
  const count = Math.min(Math.max(minItems, faker.number.int({ min: 1, max: 3 })), maxItems);
  const items = Array.from({ length: count * (uniqueItems ? TRIES : 1) }, () =>
    insideValue(model, singularOf(field.member), field.items!, faker),
  );
  const found = uniqueItems ? [...new Map(items.map((item) => [JSON.stringify(item), item])).values()] : items;
  return found.slice(0, count);
}

const TAGS = [
  'water',
  'window',
  'stove',
  'bedding',
  'path',
  'snow',
  'roof',
  'wood',
  'bridge',
  'marking',
  'noise',
  'keys',
];

/** What texts of common names look like; the first that fits is taken. */
const TEXTS: readonly (readonly [RegExp, (faker: Faker) => string])[] = [
  [/first_?name|given_?name/, (faker) => faker.person.firstName()],
  [/last_?name|family_?name|surname/, (faker) => faker.person.lastName()],
  [/phone|mobile|telephone/, (faker) => `+99 555 ${faker.string.numeric(4)}`],
  [/street|address/, (faker) => faker.location.streetAddress()],
  [/city|town|village|valley|place/, (faker) => faker.location.city()],
  [/zip|post_?code/, (faker) => faker.location.zipCode()],
  [/country/, (faker) => faker.location.country()],
  [/colou?r/, (faker) => faker.color.human()],
  [/job|profession|occupation/, (faker) => faker.person.jobTitle()],
  [/title|subject|headline|purpose|reason/, (faker) => sentence(faker).replace(/\.$/, '')],
  [
    /about|text|note|body|comment|description|summary|message|bio/,
    (faker) => faker.lorem.sentences({ min: 1, max: 3 }),
  ],
  [/tag|topic|keyword|label/, (faker) => faker.helpers.arrayElement(TAGS)],
  [/language/, (faker) => faker.helpers.arrayElement(['nn', 'nb', 'sv', 'en', 'de', 'fr'])],
  [/unit/, (faker) => faker.helpers.arrayElement(['kg', 'l', 'piece', 'pack'])],
  [/code|number|reference/, (faker) => faker.string.alphanumeric({ length: 8, casing: 'upper' })],
];

const sentence = (faker: Faker): string => faker.lorem.sentence({ min: 2, max: 6 });

function textNamed(model: Model, field: Field, faker: Faker): string {
  const { member } = field;
  const isPerson = model.fields.some(({ type }) => type === 'email' || type === 'secret');
  if (/(^|_)name$/.test(member) && !/first|last|given|family/.test(member)) {
    return isPerson ? `${faker.person.firstName()} ${faker.person.lastName()}` : thingName(faker);
  }
  const make = TEXTS.find(([name]) => name.test(member))?.[1];
  if (make !== undefined) return make(faker);
  return field.type === 'text' ? faker.lorem.sentences({ min: 1, max: 3 }) : faker.lorem.words({ min: 1, max: 3 });
}

function thingName(faker: Faker): string {
  const words = `${faker.word.adjective()} ${faker.word.noun()}`;
  return words.replace(/\b\w/g, (letter) => letter.toUpperCase());
}

/** Bounds of numbers of common names, where the rules leave them open. */
const NUMBERS: readonly (readonly [RegExp, number, number])[] = [
  [/latitude/, -90, 90],
  [/longitude/, -180, 180],
  [/year/, 1950, 2026],
  [/age/, 1, 99],
  [/altitude|height/, 0, 2500],
  [/percent/, 0, 100],
  [/price|cost|fee|total/, 1, 250],
];

function numberNamed(field: ValueSpec & { member: string }, faker: Faker): number | string {
  const { rules } = field;
  const step = stepOf(field);
  const [, least = 0, most = 100] = NUMBERS.find(([name]) => name.test(field.member)) ?? [];
  const given = rules.minimum ?? (rules.exclusiveMinimum === undefined ? undefined : rules.exclusiveMinimum + step);
  const high = rules.maximum ?? (rules.exclusiveMaximum === undefined ? undefined : rules.exclusiveMaximum - step);
  const from = given ?? Math.min(least, high ?? least);
  const to = high ?? Math.max(most, from + most - least);
  if (field.type === 'number' && rules.multipleOf === undefined) {
    return Number(faker.number.float({ min: from, max: to }).toPrecision(8));
  }
  const [first, last] = [Math.ceil(from / step), Math.floor(to / step)];
  return onGrid(field, faker.number.int({ min: first, max: Math.max(first, last) }) * step);
}

function dateNamed(member: string, faker: Faker): Date {
  if (/birth|born/.test(member)) return faker.date.between({ from: '1940-01-01', to: '2008-12-31' });
  return faker.date.between({
    from: new Date(AROUND.getTime() - 365 * 86_400_000),
    to: new Date(AROUND.getTime() + 365 * 86_400_000),
  });
}
