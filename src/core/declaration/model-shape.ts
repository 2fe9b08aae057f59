import type { Entries, Entry, Shape } from './shape.ts';
import { constant, count, either, entries, flag, list, map, number, text, word } from './shape.ts';
import { typeNames } from '../model/types.ts';

const memberName = /^[a-z][a-z0-9_]*$/;
const memberHint = 'lower-case letters, digits and underscores, a letter first';
export const modelName = /^[a-z][a-z0-9]*(-[a-z0-9]+)*$/;
const columnName = /^[A-Za-z_][A-Za-z0-9_]*$/;

const later = (about: string): Entry => ({ shape: constant, about, later: true });

const message: Shape = either('a text, or a map from rule to text', text(), map(text(), /^[a-zA-Z-]+$/, 'a rule'));

/** Every rule that a field may have, by its name. Which types take which is in `model/types.ts`. */
export const fieldEntries: Entries = {
  type: { shape: word(...typeNames), about: 'what kind of value the field holds' },
  description: { shape: text(), about: 'for people, and for the OpenAPI document' },
  examples: { shape: list(constant, 1), about: 'values that the field may have' },
  required: { shape: flag, about: 'given and not null when a record is made, never null after' },
  default: { shape: constant, about: 'what an absent value becomes' },
  minLength: { shape: count, about: 'the least number of characters' },
  maxLength: { shape: count, about: 'the greatest number of characters' },
  pattern: { shape: text(), about: 'a regular expression that the text must match somewhere' },
  minimum: { shape: number, about: 'the least value' },
  maximum: { shape: number, about: 'the greatest value' },
  exclusiveMinimum: { shape: number, about: 'a value that must be exceeded' },
  exclusiveMaximum: { shape: number, about: 'a value that must stay out of reach' },
  multipleOf: { shape: number, about: 'a number that divides the value' },
  scale: { shape: count, about: 'the digits after the point of a decimal' },
  enum: { shape: list(constant, 1), about: 'the only values allowed' },
  const: { shape: constant, about: 'the only value allowed' },
  trim: { shape: flag, about: 'blanks at both ends are cut off before the value is checked' },
  letters: { shape: word('lower', 'upper'), about: 'the case that letters are brought to before the value is checked' },
  unique: { shape: either('true or a list of fields', flag, list(text(), 1)), about: 'no two records alike' },
  immutable: { shape: flag, about: 'set when the record is made, never after' },
  readOnly: { shape: flag, about: 'set by the service alone' },
  message: { shape: message, about: 'the text shown when a rule of this field fails' },
  column: { shape: text(columnName, 'a column name'), about: 'the name of its column' },
  writeOnly: later('taken, never shown'),
  from: later('derived from another field when the client gives none'),
  format: later('a format of JSON Schema'),
  items: later('what the items of an array are like'),
  properties: later('what the members of an object are like'),
  minItems: later('the least number of items'),
  maxItems: later('the greatest number of items'),
  uniqueItems: later('no two items alike'),
};

const field = entries('a field', fieldEntries);

const relation = entries('a relation', {
  to: { shape: text(modelName, 'the name of a model'), about: 'the model that this record refers to', required: true },
  required: { shape: flag, about: 'a record can not be without it' },
  onDelete: { shape: word('restrict', 'cascade', 'clear'), about: 'what a delete of the other record does here' },
  immutable: { shape: flag, about: 'set when the record is made, never after' },
  description: { shape: text(), about: 'for people, and for the OpenAPI document' },
  column: { shape: text(columnName, 'a column name'), about: 'the name of its column' },
  with: later('many-to-many'),
  from: later('the other end of a relation'),
  one: later('at most one at the other end'),
});

export const endpointNames = ['list', 'read', 'create', 'replace', 'update', 'delete'] as const;

/** A document of `models/*.yaml`. */
export const modelShape = entries('a model', {
  model: {
    shape: text(modelName, 'a name in the singular: lower-case letters, digits and hyphens'),
    about: 'its name in the singular: model: hut',
    required: true,
  },
  plural: { shape: text(modelName, 'lower-case letters, digits and hyphens'), about: 'the segment of its paths' },
  table: { shape: text(columnName, 'a table name'), about: 'the name of its table' },
  description: { shape: text(), about: 'for people, and for the OpenAPI document' },
  key: { shape: text(memberName, 'uuid, serial or the name of a field'), about: 'what tells records apart' },
  stamps: { shape: flag, about: 'whether records carry created_at and updated_at' },
  sort: { shape: text(), about: 'the order of lists when the client asks for none: -altitude_m,name' },
  within: { shape: text(modelName, 'the name of a model'), about: 'the model that this one is a part of' },
  fields: { shape: map(field, memberName, memberHint), about: 'what is known of each record' },
  relations: { shape: map(relation, memberName, memberHint), about: 'the records that this one refers to' },
  unique: { shape: list(list(text(), 1)), about: 'sets of fields and relations in which no two records are alike' },
  index: { shape: list(list(text(), 1)), about: 'sets of fields and relations that are looked up together' },
  endpoints: { shape: list(word(...endpointNames)), about: 'the endpoints that exist' },
  label: later('how one record is called in messages'),
  owner: later('the path to the member who owns the record'),
  computed: later('values computed from others'),
  rules: later('rules across fields'),
  conditional: later('writes must carry If-Match'),
  may: later('who may do what'),
  views: later('what a record looks like in an answer'),
  operations: later('verbs that are more than one write'),
  draws: later('stock that can not be oversold'),
  journal: later('who changed what, and when'),
  trial: later('help for the derived trials'),
});
