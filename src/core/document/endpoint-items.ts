import { operationAct } from '../access/condition.ts';
import type { Act } from '../access/condition.ts';
import { isReadByAll } from '../access/open.ts';
import type { Endpoint, EndpointName } from '../api/endpoints.ts';
import { journalModel } from '../http/endpoint/journal-model.ts';
import type { ValueSpec } from '../model/field.ts';
import { modelOf } from '../model/graph.ts';
import type { Model, Operation } from '../model/model.ts';
import { mustBeGiven } from '../rules/schema.ts';
import { capitalized, ended, spoken, withArticle } from '../text/names.ts';
import { requestBody } from './bodies.ts';
import { callersOf } from './callers-of.ts';
import type { Ref } from './components.ts';
import type { Documented } from './documented.ts';
import { orNull } from './json-schema.ts';
import type { JsonSchema } from './json-schema.ts';
import { hasCopies, headersRef, writtenHeaders } from './headers.ts';
import { problemsOf } from './problem-responses.ts';
import { listResponse, noMore, notModified, successOf } from './responses.ts';
import { filterRefs, headerRef, labelsRef, pageRefs, shownRefs, sortRef, whereRefs } from './parameters.ts';
import { wholeRef } from './records.ts';
import { envelope, etagsRef, inData, json } from './shared.ts';
import { typeName } from './type-name.ts';
import { propertiesSchema, valueSchema } from './values.ts';

type DeclaredName = Exclude<EndpointName, 'operation' | 'journal'>;

const VERBS: Readonly<Record<DeclaredName, string>> = {
  list: 'List',
  read: 'Read',
  create: 'Create',
  replace: 'Replace',
  update: 'Update',
  delete: 'Delete',
  clear: 'Delete',
};

/** What the document says of an endpoint of a model. */
export function endpointItem(doc: Documented, endpoint: Endpoint): JsonSchema {
  const { name, model, operation } = endpoint;
  const { words, security } = callersOf(
    doc,
    model,
    operation === undefined ? (actOf(name) as Act) : operationAct(operation.name),
  );
  const { description, ...item } =
    name === 'operation'
      ? operationItem(doc, endpoint)
      : name === 'journal'
        ? journalItem(doc, endpoint)
        : modelItem(doc, endpoint, name);
  const isDeprecated = model.deprecated === true || operation?.deprecated === true;
  const { operationId, summary, ...rest } = item;
  return {
    operationId,
    summary,
    description: description === undefined ? words : `${description as string} ${words}`,
    tags: [model.plural],
    ...(isDeprecated ? { deprecated: true } : {}),
    ...security,
    ...rest,
  };
}

const actOf = (name: EndpointName): string => (name === 'list' ? 'read' : name);

function modelItem(doc: Documented, { model, under, ...endpoint }: Endpoint, name: DeclaredName): JsonSchema {
  const many = name === 'list' || name === 'clear';
  const of = under === undefined ? '' : ` of ${withArticle(under.name)}`;
  const parameters = parametersOf(doc, name, model, under);
  const isWrite = name === 'create' || name === 'replace' || name === 'update';
  return {
    operationId: doc.ids.of({ name, model, under }),
    summary:
      `${VERBS[name]} ` +
      `${name === 'clear' ? 'many ' : ''}${many ? spoken(model.plural) : withArticle(model.name)}${of}`,
    ...(parameters.length > 0 ? { parameters } : {}),
    ...(isWrite ? { requestBody: requestBody(doc, model, name, under !== undefined) } : {}),
    responses: { ...successOf(doc, name, model), ...problemsOf(doc, { ...endpoint, model, ...(under && { under }) }) },
  };
}

/** What a read may send back to see a write. */
const copyHeaders = (doc: Documented): Ref[] => (hasCopies(doc) ? [headerRef(doc, 'consistency-token')] : []);

const readHeaders = (doc: Documented): Ref[] => [headerRef(doc, 'if-none-match'), ...copyHeaders(doc)];

function parametersOf(doc: Documented, name: DeclaredName, model: Model, under: Model | undefined): Ref[] {
  switch (name) {
    case 'list':
      return [
        ...whereRefs(doc, model, under && model.parent?.field),
        ...filterRefs(doc, model),
        sortRef(doc, model),
        ...pageRefs(doc),
        ...shownRefs(doc, model, model.listView),
        ...readHeaders(doc),
      ];
    case 'read':
      return [...shownRefs(doc, model), ...readHeaders(doc)];
    case 'clear':
      return [...whereRefs(doc, model), ...filterRefs(doc, model)];
    case 'create':
      return [headerRef(doc, 'idempotency-key'), headerRef(doc, 'prefer')];
    default:
      return [headerRef(doc, 'if-match', model.conditional), headerRef(doc, 'prefer')];
  }
}

/** A verb of the project's own: its input in the body, or in the query where it only reads. */
function operationItem(doc: Documented, endpoint: Endpoint): JsonSchema {
  const { model } = endpoint;
  const operation = endpoint.operation!;
  const { name, description, input, reads, target } = operation;
  const whom = target === 'record' ? withArticle(model.name) : spoken(model.plural);
  const parameters = reads
    ? [...[...input].map(([member, spec]) => queryInput(member, spec)), ...copyHeaders(doc)]
    : [
        headerRef(doc, 'idempotency-key'),
        headerRef(doc, 'prefer'),
        ...(target === 'record' ? [headerRef(doc, 'if-match')] : []),
      ];
  const called = `${typeName(model)}.${name}.input`;
  const inputs = doc.components.ref.bind(null, 'schemas', called, () => propertiesSchema(input, 'request'));
  return {
    operationId: doc.ids.of(endpoint),
    summary: summaryOf(operation, whom),
    ...(description === undefined ? {} : { description: ended(description) }),
    ...(parameters.length > 0 ? { parameters } : {}),
    ...(reads || input.size === 0
      ? {}
      : { requestBody: { required: [...input.values()].some(mustBeGiven), content: json(inputs()) } }),
    responses: { ...operationSuccess(doc, model, operation), ...problemsOf(doc, endpoint) },
  };
}

/** `Book a hut`; and of what is no single verb, `Calendar of a hut`. */
function summaryOf({ name, reads }: Operation, whom: string): string {
  const words = capitalized(spoken(name));
  return reads || words.includes(' ') ? `${words} of ${whom}` : `${words} ${whom}`;
}

function queryInput(name: string, spec: ValueSpec): JsonSchema {
  const { description, deprecated, ...schema } = valueSchema(spec, 'request', undefined, false);
  return {
    name,
    in: 'query',
    ...(mustBeGiven(spec) ? { required: true } : {}),
    ...(description === undefined ? {} : { description }),
    ...(deprecated === undefined ? {} : { deprecated }),
    schema,
  };
}

function operationSuccess(doc: Documented, model: Model, { name, output, status, reads }: Operation): JsonSchema {
  const headers = reads ? headersRef : writtenHeaders;
  const written = !reads && hasCopies(doc) ? { headers: writtenHeaders(doc) } : {};
  if (output === undefined) return { [status === 200 ? 204 : status]: { description: 'Done.', ...written } };
  const answered = (description: string, data: JsonSchema | Ref): JsonSchema => ({
    [status]: {
      description,
      ...(output.kind === 'one' ? { headers: headers(doc, 'ETag') } : written),
      content: json(
        output.kind === 'many'
          ? envelope(data, {}, { etags: etagsRef(doc.components) })
          : '$ref' in data
            ? inData(doc.components, data as Ref)
            : envelope(data),
      ),
    },
    ...(reads || status === 204 ? {} : { 204: noMore(doc, false) }),
  });
  if (output.kind === 'fields') {
    const called = `${typeName(model)}.${name}.output`;
    return answered(
      'What came of it.',
      doc.components.ref('schemas', called, () => propertiesSchema(output.fields, 'response')),
    );
  }
  const of = modelOf(doc.graph, output.model);
  const whole = wholeRef(doc, of);
  if (output.kind === 'many') return answered('The records that came of it.', { type: 'array', items: whole });
  // A record that is not for the caller is null to them.
  return answered('The record that came of it.', isReadByAll(of) ? whole : orNull({ ...whole }));
}

/** The history of a record, or of all records of a model. */
function journalItem(doc: Documented, endpoint: Endpoint): JsonSchema {
  const { model, ofRecord } = endpoint;
  const journal = journalModel(doc.graph);
  const record = journal.byMember.get('record');
  const of = ofRecord ? withArticle(model.name) : spoken(model.plural);
  return {
    operationId: doc.ids.of(endpoint),
    summary: `What was done to ${of}, the latest first`,
    parameters: [
      ...whereRefs(doc, journal, ofRecord ? record : undefined),
      ...filterRefs(doc, journal),
      sortRef(doc, journal),
      ...pageRefs(doc, false),
      ...shownRefs(doc, journal),
      labelsRef(doc),
      ...readHeaders(doc),
    ],
    responses: {
      200: listResponse(doc, journal, 'A page of lines.'),
      304: notModified(doc),
      ...problemsOf(doc, endpoint),
    },
  };
}
