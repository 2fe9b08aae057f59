import type { Entries, Shape } from './shape.ts';
import { constant, count, either, entries, flag, list, map, named, number, text, word } from './shape.ts';
import { formatNames } from '../model/formats.ts';
import { typeNames } from '../model/types.ts';

const memberName = /^[a-z][a-z0-9_]*$/;
const memberHint = 'lower-case letters, digits and underscores, a letter first';
export const modelName = /^[a-z][a-z0-9]*(-[a-z0-9]+)*$/;
const modelHint = 'the name of a model';
/** Names of tables and columns: every database takes so many bytes, and says in its errors where a name ends. */
const sqlName = /^(?! )[^\p{C}".`\\]{1,63}(?<! )$/u;
/** Whether a name that a table or a column has can stand in a declaration. */
export const isSqlName = (name: string): boolean => sqlName.test(name) && new TextEncoder().encode(name).length <= 63;
const sqlHint = 'a name of at most 63 characters, without quotes, dots, backslashes and blanks at its ends';
const operationName = /^[a-z][a-z0-9]*(-[a-z0-9]+)*$/;
const operationHint = 'lower-case letters, digits and hyphens';

const people = 'for people, and for the OpenAPI document';
const deprecated = { shape: flag, about: 'still there, but not for new use; the OpenAPI document says so' };
const expression = text(/\S/, 'an expression');
const message: Shape = either('a text, or a map from rule to text', text(), map(text(), /^[a-zA-Z-]+$/, 'a rule'));
const reveals = { shape: flag, about: 'it may show what its readers could not see otherwise' };

/** The rules of a value anywhere: in a field, an object, a list, the input of an operation. */
const valueEntries: Entries = {
  type: { shape: word(...typeNames), about: 'what kind of value it is' },
  description: { shape: text(), about: people },
  examples: { shape: list(constant, 1), about: 'values that it may have' },
  deprecated,
  minLength: { shape: count, about: 'the least number of characters' },
  maxLength: { shape: count, about: 'the greatest number of characters' },
  pattern: { shape: text(), about: 'a regular expression that the text must match somewhere' },
  format: { shape: word(...formatNames), about: 'a form that the text must have' },
  minimum: { shape: number, about: 'the least value' },
  maximum: { shape: number, about: 'the greatest value' },
  exclusiveMinimum: { shape: number, about: 'a value that must be exceeded' },
  exclusiveMaximum: { shape: number, about: 'a value that must stay out of reach' },
  multipleOf: { shape: number, about: 'a number that divides the value' },
  scale: { shape: count, about: 'the digits after the point of a decimal' },
  enum: { shape: list(constant, 1), about: 'the only values allowed' },
  const: { shape: constant, about: 'the only value allowed' },
  items: { shape: named('item', () => entries('an item', itemEntries)), about: 'what each item of an array is' },
  minItems: { shape: count, about: 'the least number of items' },
  maxItems: { shape: count, about: 'the greatest number of items' },
  uniqueItems: { shape: flag, about: 'no two items alike' },
  properties: {
    shape: map(
      named('property', () => entries('a property', propertyEntries)),
      memberName,
      memberHint,
    ),
    about: 'what the members of an object are',
  },
  trim: { shape: flag, about: 'blanks at both ends are cut off before the value is checked' },
  letters: { shape: word('lower', 'upper'), about: 'the case that letters are brought to before the value is checked' },
  message: { shape: message, about: 'the text shown when one of these rules fails' },
};

const itemEntries: Entries = valueEntries;

const propertyEntries: Entries = {
  ...valueEntries,
  required: { shape: flag, about: 'given and not null' },
  default: { shape: constant, about: 'what an absent value becomes: a constant, or { expr: … }' },
};

/** Every rule that a field may have, by its name. Which types take which is in `model/types.ts`. */
export const fieldEntries: Entries = {
  ...propertyEntries,
  required: { shape: flag, about: 'given and not null when a record is made, never null after' },
  unique: { shape: either('true or a list of fields', flag, list(text(), 1)), about: 'no two records alike' },
  reveals,
  immutable: { shape: flag, about: 'set when the record is made, never after' },
  readOnly: { shape: flag, about: 'set by the service alone' },
  writeOnly: { shape: flag, about: 'taken, never shown' },
  from: {
    shape: text(/^slug\(.*\S.*\)$/, 'slug(name), with a field or an expression'),
    about: 'derived when the client gives none: a URL-safe text of another value',
  },
  column: { shape: text(sqlName, sqlHint), about: 'the name of its column' },
};

const field = named('field', () => entries('a field', fieldEntries));
const property = named('property', () => entries('a property', propertyEntries));

const relation = entries('a relation', {
  to: { shape: text(modelName, modelHint), about: 'the model that this record refers to' },
  with: { shape: text(modelName, modelHint), about: 'many-to-many: the model that records are linked with' },
  from: {
    shape: text(/^[a-z][a-z0-9-]*\.[a-z][a-z0-9_]*$/, 'a model and its relation, as stay.hut'),
    about: 'the other end of a relation of another model: stay.hut',
  },
  one: { shape: flag, about: 'at most one record at the other end' },
  required: { shape: flag, about: 'a record can not be without it' },
  onDelete: { shape: word('restrict', 'cascade', 'clear'), about: 'what a delete of the other record does here' },
  immutable: { shape: flag, about: 'set when the record is made, never after' },
  description: { shape: text(), about: people },
  deprecated,
  column: { shape: text(sqlName, sqlHint), about: 'the name of its column' },
  table: { shape: text(sqlName, sqlHint), about: 'many-to-many: the name of the table of links' },
  columns: {
    shape: either(
      'a list of names, or { own: order_id, other: tag_id }',
      list(text(sqlName, sqlHint), 2),
      entries('columns', {
        own: { shape: text(sqlName, sqlHint), about: 'the one with the key of this record', required: true },
        other: { shape: text(sqlName, sqlHint), about: 'the one with the key of the other', required: true },
      }),
    ),
    about: 'the columns of a reference to a key of several fields, as a list; many-to-many: the two of that table',
  },
});

const grantHint = "anybody, signed-in, verified, owner, role:NAME, nobody, a path of relations, or { where: '…' }";
const grant = either(
  grantHint,
  text(),
  entries('a grant', { where: { shape: expression, about: 'true of the records that it allows', required: true } }),
);
const grants = named('grants', () => either(`${grantHint}; or a list of them`, grant, list(grant, 1)));

export const endpointNames = ['list', 'read', 'create', 'replace', 'update', 'delete', 'clear'] as const;
/** The endpoints of a model by default: without deletes of many. */
export const usualEndpoints = endpointNames.filter((name) => name !== 'clear');

const may = entries(
  'may',
  {
    read: { shape: grants, about: 'who may read a record' },
    create: { shape: grants, about: 'who may make one' },
    update: { shape: grants, about: 'who may change one' },
    replace: { shape: grants, about: 'who may replace one; as update if left out' },
    delete: { shape: grants, about: 'who may delete one' },
    clear: { shape: grants, about: 'who may delete many; as delete if left out' },
    journal: { shape: grants, about: 'who may read what was changed; as update if left out' },
    fields: { shape: map(grants, memberName, memberHint), about: 'who sees a field' },
    set: { shape: map(grants, memberName, memberHint), about: 'who may give a field its value' },
  },
  { shape: grants, names: operationName, about: 'who may do an operation' },
);

const operation = entries('an operation', {
  target: { shape: word('record', 'list'), about: 'whether it is done to one record, or to none; record if left out' },
  description: { shape: text(), about: people },
  deprecated,
  input: { shape: map(property, memberName, memberHint), about: 'what it takes' },
  output: {
    shape: entries(
      'an output',
      {
        one: { shape: text(modelName, modelHint), about: 'it answers with a record of this model' },
        many: { shape: text(modelName, modelHint), about: 'it answers with records of this model' },
      },
      { shape: property, names: memberName, about: 'a member of its answer' },
    ),
    about: 'what it answers with: one or many of a model, or members',
  },
  status: { shape: { kind: 'number', integer: true, least: 200 }, about: 'the status of a success; 200 if left out' },
  reads: { shape: flag, about: 'it changes nothing, and is asked for by GET' },
});

const draw = entries('a draw', {
  from: {
    shape: text(/^[a-z][a-z0-9_]*\.[a-z][a-z0-9_]*$/, 'a relation and a field, as night.beds_left'),
    about: 'what is drawn on: a relation and a field of its model',
    required: true,
  },
  amount: {
    shape: either('an expression or a number', expression, number),
    about: 'how much of it a record takes',
    required: true,
  },
  while: { shape: expression, about: 'a record takes nothing where this is not true' },
  refuse: { shape: text(/\S/, 'a text'), about: 'what to say where not enough is left; {available} is what there is' },
});

const stamp: Shape = either(
  'a name, or a map with name and column',
  text(memberName, memberHint),
  entries('a stamp', {
    name: { shape: text(memberName, memberHint), about: 'what it is called', required: true },
    column: { shape: text(sqlName, sqlHint), about: 'the name of its column' },
  }),
);
const stamps = entries('stamps', {
  created: { shape: stamp, about: 'when a record was made' },
  updated: { shape: stamp, about: 'when it was last changed' },
});

const label = either(
  'a text, or a map with text and reveals',
  text(/\S/, 'a text'),
  entries('a label', { text: { shape: text(/\S/, 'a text'), about: 'its text', required: true }, reveals }),
);

/** A document of `models/*.yaml`. */
export const modelShape = entries('a model', {
  model: {
    shape: text(modelName, 'a name in the singular: lower-case letters, digits and hyphens'),
    about: 'its name in the singular: model: hut',
    required: true,
  },
  plural: { shape: text(modelName, 'lower-case letters, digits and hyphens'), about: 'the segment of its paths' },
  table: { shape: text(sqlName, sqlHint), about: 'the name of its table' },
  description: { shape: text(), about: people },
  deprecated,
  label: { shape: label, about: 'how one record is called: a text with {fields} in it; the key if left out' },
  key: {
    shape: either(
      'uuid, serial, the name of a field, a list of names, or { type: serial, name: number }',
      text(memberName, 'uuid, serial or the name of a field'),
      list(text(memberName, memberHint), 2),
      entries('a key', {
        type: { shape: word('uuid', 'serial'), about: 'how the service makes it' },
        fields: {
          shape: list(text(memberName, memberHint), 2),
          about: 'the fields and relations that it is put together of',
        },
        reveals,
        name: { shape: text(memberName, memberHint), about: 'its name in JSON; id if left out' },
        column: { shape: text(sqlName, sqlHint), about: 'the name of its column; its own if left out' },
      }),
    ),
    about: 'what tells records apart',
  },
  stamps: {
    shape: either('true, false, or the names of the two: { created: made_at, updated: changed_at }', flag, stamps),
    about: 'when a record was made and last changed; created_at and updated_at if left out',
  },
  sort: { shape: text(), about: 'the order of lists when the client asks for none: -altitude_m,name' },
  within: { shape: text(modelName, modelHint), about: 'the model that this one is a part of' },
  owner: {
    shape: text(/^[a-z][a-z0-9_]*(\.[a-z][a-z0-9_]*)*$/, 'a path of relations, as hut.warden'),
    about: 'the path of relations to the member who owns the record',
  },
  fields: { shape: map(field, memberName, memberHint), about: 'what is known of each record' },
  relations: { shape: map(relation, memberName, memberHint), about: 'the records that this one is related to' },
  computed: {
    shape: map(
      entries('a computed value', {
        type: { shape: word(...typeNames), about: 'what kind of value it is', required: true },
        scale: { shape: count, about: 'the digits after the point of a decimal' },
        value: { shape: expression, about: 'what it is worked out from', required: true },
        description: { shape: text(), about: people },
        deprecated,
        reveals,
      }),
      memberName,
      memberHint,
    ),
    about: 'values that are worked out from others',
  },
  rules: {
    shape: list(
      entries('a rule', {
        check: { shape: expression, about: 'what no record may make false', required: true },
        message: { shape: text(/\S/, 'a text'), about: 'what to say where it is false', required: true },
        at: { shape: text(memberName, 'the name of a member'), about: 'the member that is at fault' },
        reveals,
      }),
    ),
    about: 'rules across fields',
  },
  unique: { shape: list(list(text(), 1)), about: 'sets of fields and relations in which no two records are alike' },
  index: { shape: list(list(text(), 1)), about: 'sets of fields and relations that are looked up together' },
  conditional: { shape: word('required'), about: 'writes must carry If-Match' },
  may: { shape: may, about: 'who may do what' },
  views: {
    shape: map(either('a list of members, or the name of a view', list(text(), 1), text()), memberName, memberHint),
    about: 'what a record looks like in an answer',
  },
  endpoints: { shape: list(word(...endpointNames)), about: 'the endpoints that exist; all but clear if left out' },
  operations: { shape: map(operation, operationName, operationHint), about: 'verbs that are more than one write' },
  draws: { shape: list(draw), about: 'stock that each record takes from another' },
  journal: { shape: flag, about: 'whether who changed what, and when, is kept' },
  trial: {
    shape: entries('trial', {
      example: { shape: map(constant, memberName, memberHint), about: 'values that a made-up record should have' },
      skip: { shape: list(text(), 1), about: 'derived cases to leave out' },
    }),
    about: 'help for the derived trials',
  },
});
