import type { EndpointName } from '../api/endpoints.ts';
import type { Model } from '../model/model.ts';
import { spoken } from '../text/names.ts';
import type { Ref } from './components.ts';
import type { Documented } from './documented.ts';
import { hasCopies, headersRef, writtenHeaders } from './headers.ts';
import { objectOf } from './json-schema.ts';
import type { JsonSchema } from './json-schema.ts';
import { otherSchemas, viewRef, wholeRef, writtenRef } from './records.ts';
import { envelope, etagsRef, inData, json, pageRef } from './shared.ts';
import { typeName } from './type-name.ts';

export const notModified = (doc: Documented): Ref =>
  doc.components.ref('responses', 'not-modified', () => ({
    description: 'The answer that If-None-Match names still holds.',
    headers: headersRef(doc, 'ETag'),
  }));

/** Done, where the client wants no body. */
export const noMore = (doc: Documented, withTag: boolean): Ref =>
  doc.components.ref('responses', withTag ? 'no-more.tagged' : 'no-more', () => ({
    description: 'Done, where Prefer asks for no more.',
    headers: withTag ? writtenHeaders(doc, 'ETag', 'Preference-Applied') : writtenHeaders(doc, 'Preference-Applied'),
  }));

const withOthers = (content: JsonSchema, others: JsonSchema): JsonSchema =>
  Object.fromEntries(Object.entries(content).map(([type, media]) => [type, { ...(media as object), ...others }]));

/** A read of one record. */
export const recordResponses = (doc: Documented, model: Model): JsonSchema => ({
  200: doc.components.ref('responses', `${typeName(model)}.record`, () => ({
    description: `The record${model.views.size > 1 ? ', in the view default if no other was asked for' : ''}.`,
    headers: headersRef(doc, 'ETag'),
    content: withOthers(json(inData(doc.components, wholeRef(doc, model))), otherSchemas(doc, model, 'default')),
  })),
  304: notModified(doc),
});

/** A page of a list, of a model's records or of the lines of a journal. */
export function listResponse(doc: Documented, model: Model, description: string): Ref {
  const { components, graph } = doc;
  return components.ref('responses', `${typeName(model)}.list`, () => ({
    description,
    headers: headersRef(doc, 'Link', 'ETag'),
    content: withOthers(
      json(
        envelope(
          { type: 'array', items: viewRef(doc, model, model.listView), maxItems: graph.service.paging.most },
          { page: pageRef(components) },
          typeName(model) === 'journal' ? {} : { etags: etagsRef(components) },
        ),
      ),
      otherSchemas(doc, model, model.listView),
    ),
  }));
}

/** What an endpoint answers where all went well. */
export function successOf(
  doc: Documented,
  name: Exclude<EndpointName, 'operation' | 'journal'>,
  model: Model,
): JsonSchema {
  const { components } = doc;
  switch (name) {
    case 'read':
      return recordResponses(doc, model);
    case 'list':
      return {
        200: listResponse(
          doc,
          model,
          `A page of ${spoken(model.plural)}, in the view ${model.listView} if no other was asked for.`,
        ),
        304: notModified(doc),
      };
    case 'create': {
      const one = writtenRef(doc, model, 'create');
      return {
        201: components.ref('responses', `${typeName(model)}.created`, () => ({
          description:
            'The record as it was made; of many, `data` is an array of them, and `etags` has the ETag of each. ' +
            'Nothing, where Prefer asks for no more.',
          headers: writtenHeaders(doc, 'Location', 'ETag', 'Preference-Applied'),
          content: json(inData(components, one)),
        })),
      };
    }
    case 'delete': {
      const last = {
        description: 'The record as it was, where Prefer asks for it.',
        headers: writtenHeaders(doc, 'Preference-Applied'),
        content: json(inData(components, wholeRef(doc, model))),
      };
      return {
        200: last,
        204: components.ref('responses', 'deleted', () => ({
          description: 'Deleted.',
          ...(hasCopies(doc) ? { headers: writtenHeaders(doc) } : {}),
        })),
      };
    }
    case 'clear':
      return {
        200: components.ref('responses', 'cleared', () => ({
          description: 'How many were deleted.',
          ...(hasCopies(doc) ? { headers: writtenHeaders(doc) } : {}),
          content: json(envelope(objectOf({ deleted: { type: 'integer', minimum: 0 } }, ['deleted']))),
        })),
      };
    default:
      return {
        200: components.ref('responses', `${typeName(model)}.changed`, () => ({
          description: 'The record as it is now.',
          headers: writtenHeaders(doc, 'ETag'),
          content: json(inData(components, writtenRef(doc, model, 'update'))),
        })),
        204: noMore(doc, true),
      };
  }
}
