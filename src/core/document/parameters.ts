import { keyParameter } from '../api/endpoints.ts';
import { filterLanguages } from '../api/parameters.ts';
import { noRules } from '../model/field.ts';
import type { Field } from '../model/field.ts';
import type { Model } from '../model/model.ts';
import { ownNames, relatedNames } from '../model/related.ts';
import type { FieldValue } from '../model/scalar.ts';
import { isMadeByService } from '../model/stamps.ts';
import { filterable, filterableComputed, sortable } from '../query/listable.ts';
import { MOST_RELATED } from '../query/projection.ts';
import { exampleValue } from '../rules/examples.ts';
import { withArticle } from '../text/names.ts';
import type { Ref } from './components.ts';
import type { Documented } from './documented.ts';
import { GRAMMAR } from './grammar.ts';
import type { JsonSchema } from './json-schema.ts';
import { typeName } from './type-name.ts';
import { memberSchema, partWords, valueSchema } from './values.ts';

const inQuery = (name: string, description: string, schema: JsonSchema | Ref, more: JsonSchema = {}): JsonSchema => ({
  name,
  in: 'query',
  description,
  ...more,
  schema: { ...schema },
});

/** The schema of a value in a path or a query, where its rules do not apply. */
export function textualSchema(field: Field): JsonSchema {
  const { enum: choices } = field.rules;
  const rules = { ...noRules, required: true, ...(choices === undefined ? {} : { enum: choices }) };
  const {
    readOnly: _readOnly,
    description: _about,
    minLength: _least,
    ...schema
  } = valueSchema({ ...field, rules }, 'request');
  return field.type === 'decimal' ? { ...schema, type: 'string' } : schema;
}

/** The key of a record, in a path. */
export const keyRef = ({ components }: Documented, model: Model): Ref =>
  components.ref('parameters', `${typeName(model)}.key`, () => ({
    name: keyParameter(model),
    in: 'path',
    required: true,
    description: [`The key of ${withArticle(model.name)}.`, ...partWords(model.key)].join(' '),
    schema: textualSchema(model.key),
  }));

/** `<field>=value`, for each such field, except those given by the path. */
export const whereRefs = (doc: Documented, model: Model, but?: Field): Ref[] => [
  ...filterable(model)
    .filter((field) => field !== but)
    .map((field) => {
      // Keys and stamps that are made by the service are alike everywhere.
      const name =
        isMadeByService(model, field) && field.parts === undefined
          ? `where.${field.member}${model.keyKind === 'serial' ? '.serial' : ''}`
          : `${typeName(model)}.where.${field.member}`;
      return doc.components.ref('parameters', name, () => whereParameter(doc, model, field));
    }),
  ...filterableComputed(model).map((computed) =>
    doc.components.ref('parameters', `${typeName(model)}.where.${computed.member}`, () =>
      whereParameter(doc, model, computed),
    ),
  ),
];

function whereParameter({ components }: Documented, model: Model, field: Field): JsonSchema {
  const { deprecated, ...plain } = textualSchema(field);
  const items =
    field.rules.enum === undefined ? plain : memberSchema(components, bare(field), model, 'response', false);
  const about = `Only records whose ${field.member} is this value; given again, any of the values.`;
  const text = field.description === undefined ? about : `${about} ${field.description}`;
  const more = { style: 'form', explode: true, ...(deprecated === undefined ? {} : { deprecated }) };
  return inQuery(field.member, text, { type: 'array', items }, more);
}

/** A field without rules except its values. */
function bare({ description: _about, deprecated: _old, examples: _examples, ...field }: Field): Field {
  return { ...field, examples: [], rules: { ...field.rules, readOnly: false, immutable: false } };
}

/** What says which records of a list: a condition, and its encoding. */
export const filterRefs = ({ components }: Documented, model: Model): Ref[] => [
  components.ref('parameters', `${typeName(model)}.filter`, () =>
    inQuery(
      'filter',
      'Only records for which this is true. Names are members of ' +
        `${withArticle(model.name)}, and of what it is related to. ` +
        'A path along relations to one record may also be a parameter of its own, as in `hut.name=Grey Hut`.',
      components.ref('schemas', 'filter', () => ({
        type: 'string',
        minLength: 1,
        maxLength: 8000,
        description: GRAMMAR,
      })),
      { examples: filterExamples(model) },
    ),
  ),
  components.ref('parameters', 'filter-lang', () =>
    inQuery('filter-lang', 'The encoding of `filter`.', {
      type: 'string',
      enum: [...filterLanguages],
      default: filterLanguages[0],
    }),
  ),
];

/** A condition over the first field of each kind that a model has. */
function filterExamples(model: Model): JsonSchema {
  const { created } = model.stamps;
  const open = model.shown.filter(({ member, origin }) => origin !== 'stamp' && !model.access.fields.has(member));
  const found = (types: readonly string[], choice = false): [string, string] | undefined => {
    const field = open.find(
      ({ type, rules, origin }) => types.includes(type) && (rules.enum !== undefined) === choice && origin === 'field',
    );
    const value = field && exampleValue(field, 1, []);
    return value === undefined || value === null ? undefined : [field!.member, literal(value)];
  };
  const [number, choice, text] = [
    found(['integer', 'number', 'decimal']),
    found(['string', 'text'], true),
    found(['string', 'text']),
  ];
  const conditions: (readonly [string, string])[] = [
    ...(number === undefined ? [] : [['compared', `${number[0]} >= ${number[1]}`] as const]),
    ...(choice === undefined ? [] : [['one-of', `${choice[0]} IN (${choice[1]})`] as const]),
    ...(text === undefined ? [] : [['text', `CASEI(${text[0]}) LIKE CASEI('%a%')`] as const]),
    ...(created === undefined ? [] : [['since', `${created.member} >= TIMESTAMP('2026-06-01T00:00:00Z')`] as const]),
  ];
  const all = conditions.length > 0 ? conditions : [['there', `${model.key.member} IS NOT NULL`] as const];
  return Object.fromEntries(all.map(([name, value]) => [name, { value }]));
}

const literal = (value: FieldValue): string =>
  typeof value === 'string' && !/^-?\d+(\.\d+)?$/.test(value)
    ? `'${value.replaceAll("'", "''")}'`
    : JSON.stringify(value).replaceAll('"', '');

/** What pages a list. */
export function pageRefs({ components, graph }: Documented, hasTags = true): Ref[] {
  const { default: usual, most } = graph.service.paging;
  const parameters: readonly (readonly [string, string, JsonSchema])[] = [
    [
      'limit',
      'How many records to show; 0 with `total=true`, to count alone.',
      { type: 'integer', minimum: 0, maximum: most, default: usual },
    ],
    ['after', 'A cursor of `page.next`: the records after it.', { type: 'string' }],
    ['before', 'A cursor of `page.prev`: the records before it.', { type: 'string' }],
    [
      'offset',
      'So many records are passed over, for jumping to a page by its number.',
      { type: 'integer', minimum: 0 },
    ],
    ['total', 'Whether to count all records, as `page.total`.', { type: 'boolean', default: false }],
    [
      'etags',
      'Whether the ETag of each record comes along, as `etags`; pages then have 25 records at most.',
      { type: 'boolean', default: false },
    ],
  ];
  const taken = parameters.filter(([name]) => hasTags || name !== 'etags');
  return taken.map(([name, about, schema]) => components.ref('parameters', name, () => inQuery(name, about, schema)));
}

export function sortRef({ components }: Documented, model: Model): Ref {
  return components.ref('parameters', `${typeName(model)}.sort`, () => {
    const own = { enum: sortable(model).flatMap((member) => [member, `-${member}`]) };
    const ones = [...model.relations, ...model.reverses.filter(({ one }) => one)].map(({ name }) => name);
    const along = {
      pattern: `^-?(${ones.join('|')})\\..+$`,
      description: 'A field of the one record that a relation leads to.',
    };
    const folded = {
      pattern: '^-?([Cc][Aa][Ss][Ee][Ii]|[Aa][Cc][Cc][Ee][Nn][Tt][Ii])\\(.+\\)$',
      description: 'A text, its letters folded.',
    };
    const items = { type: 'string', anyOf: [own, folded, ...(ones.length === 0 ? [] : [along])] };
    const standing = model.sort.map(({ field, descending }) => (descending ? '-' : '') + field.member).join(',');
    const about =
      'The order: fields and computed values, along relations to one record too, separated by ' +
      `commas, a minus for descending, nulls last; CASEI(name) regardless of case. Left out: ${standing}.`;
    return inQuery('sort', about, { type: 'array', items }, { style: 'form', explode: false });
  });
}

/** The parameters that say what is shown of a record. */
export function shownRefs({ components }: Documented, model: Model, usual = 'default'): Ref[] {
  const own = ownNames(model);
  const related = relatedNames(model);
  const listed = (name: string, about: string, items: JsonSchema): Ref =>
    components.ref('parameters', `${typeName(model)}.${name}`, () =>
      inQuery(name, about, { type: 'array', items }, { style: 'form', explode: false }),
    );
  const along = { pattern: `^(${related.join('|')})\\..+$`, description: 'A member of related records.' };
  // Where there is one view alone, models don't differ.
  const named = model.views.size === 1 ? 'view' : `${typeName(model)}.view${usual === 'default' ? '' : '.listed'}`;
  const view = components.ref('parameters', named, () =>
    inQuery('view', 'Which view of the records to show.', {
      type: 'string',
      enum: [...model.views.keys()],
      default: usual,
    }),
  );
  const objects = model.shown.filter(({ type }) => type === 'object').map(({ member }) => member);
  const inside =
    objects.length === 0 ? [] : [{ pattern: `^(${objects.join('|')})\\..+$`, description: 'A part of an object.' }];
  const ways = [...inside, ...(related.length === 0 ? [] : [along])];
  const fields = listed(
    'fields',
    'Exactly which members to show, along relations too, separated by commas: the answer has no others, not even ' +
      'those that its schema requires.',
    ways.length === 0 ? { type: 'string', enum: own } : { type: 'string', anyOf: [{ enum: own }, ...ways] },
  );
  const may = components.ref('parameters', 'may', () =>
    inQuery('may', 'Whether each record tells, as `may`, what the caller may do with it.', {
      type: 'boolean',
      default: false,
    }),
  );
  const all = typeName(model) === 'journal' ? [view, fields] : [view, fields, may];
  if (related.length === 0) return all;
  const include = listed(
    'include',
    'Related records to show along with each, nested with dots, separated by commas: ' +
      `${related.join(', ')}. Of many, the first ${MOST_RELATED} come.`,
    { type: 'string', pattern: `^(${related.join('|')})(\\..+)?$` },
  );
  return [...all, include];
}

/** The parameter of journals alone. */
export const labelsRef = ({ components }: Documented): Ref =>
  components.ref('parameters', 'labels', () =>
    inQuery(
      'labels',
      'Whether each line says what its record and whoever changed it are called, as `label` and `by_label`, and each ' +
        'changed key what it led and leads to, as `before_label` and `after_label`.',
      { type: 'boolean', default: false },
    ),
  );

const HEADERS = {
  'consistency-token': [
    'Consistency-Token',
    'What the answer to a write had: the read sees that write, whichever copy of the database answers.',
  ],
  'if-match': [
    'If-Match',
    'The ETag of the record as it was read: where it has changed since, the answer is 412 (RFC 9110).',
  ],
  'if-none-match': ['If-None-Match', 'The ETag of an answer: where it still holds, the answer is 304 (RFC 9110).'],
  'idempotency-key': [
    'Idempotency-Key',
    'Sent again with the same key, the same request is answered as before, and done ' +
      'once. It belongs to the caller, and is for those who are signed in.',
  ],
  prefer: ['Prefer', '`return=minimal` for an answer without a body, or `return=representation` (RFC 7240).'],
} as const;

export type HeaderName = keyof typeof HEADERS;

export const headerRef = ({ components, graph }: Documented, name: HeaderName, required = false): Ref =>
  components.ref('parameters', required ? `${name}.required` : name, () => {
    const [header, about] = HEADERS[name];
    const description =
      graph.identity === undefined
        ? about.replace(' It belongs to the caller, and is for those who are signed in.', '')
        : about;
    return { name: header, in: 'header', ...(required ? { required } : {}), description, schema: { type: 'string' } };
  });
