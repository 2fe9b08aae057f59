import { Ajv2020 } from 'ajv/dist/2020.js';
import type { ValidateFunction } from 'ajv/dist/2020.js';
import addFormats from 'ajv-formats';
import { FIELDS, VIEWS } from '../api/parameters.ts';
import type { Answer, Fault } from './answer.ts';
import { valueAt } from './kept.ts';
import { byNames, matcherOf } from './paths.ts';

type Tree = Record<string, unknown>;

export interface DocumentJudge {
  /**
   * What an answer has that the OpenAPI document doesn't say; `target` is the path that was asked for, with its query.
   */
  judge(method: string, target: string, answer: Answer): Fault[];
}

/** Holds answers against an OpenAPI 3.1 document. */
export function makeDocumentJudge(document: Record<string, unknown>): DocumentJudge {
  const ajv = new Ajv2020({ strict: false, allErrors: true });
  (addFormats as unknown as (ajv: Ajv2020) => void)(ajv);
  ajv.addSchema({ $id: 'document:/', ...document });
  const compiled = new Map<string, ValidateFunction>();
  const paths = Object.keys(document.paths as Tree).sort(byNames);
  const templates = paths.map((template) => ({ template, matches: matcherOf(template) }));

  function validatorOf(pointer: string): ValidateFunction {
    let validate = compiled.get(pointer);
    if (validate === undefined) compiled.set(pointer, (validate = ajv.compile({ $ref: `document:/#${pointer}` })));
    return validate;
  }

  function faultsOf(pointer: string, value: unknown, within: string): Fault[] {
    const validate = validatorOf(pointer);
    if (validate(value)) return [];
    return (validate.errors ?? []).map((error) => ({
      what: `the document, at ${within + error.instancePath || 'the body'}`,
      expected: error.message ?? error.keyword,
      got: JSON.stringify(error.params),
    }));
  }

  return {
    judge(method, target, answer) {
      const [path = '', query = ''] = target.split(/\?(.*)/s);
      const template = templates.find((candidate) => candidate.matches.test(path))?.template;
      const undeclared = (what: string, expected: string, got: string): Fault[] => [{ what, expected, got }];
      if (template === undefined) return undeclared('the document', 'the path of every endpoint', `no ${path}`);
      const operation = ((document.paths as Tree)[template] as Tree)[method.toLowerCase()] as Tree | undefined;
      const responses = operation?.responses as Record<string, Tree> | undefined;
      const status = [String(answer.status), `${String(answer.status)[0]}XX`].find(
        (one) => responses?.[one] !== undefined,
      );
      const response = status === undefined ? undefined : responses![status];
      if (response === undefined) {
        const declared = Object.keys(responses ?? {}).join(', ');
        return undeclared('the document', `one of the statuses ${declared}`, String(answer.status));
      }
      const shared = /^#(\/components\/responses\/.+)$/.exec((response.$ref as string | undefined) ?? '')?.[1];
      const pointer = shared ?? `/paths/${escaped(template)}/${method.toLowerCase()}/responses/${status}`;
      const content = (shared === undefined ? response : (valueAt(shared, document) as Tree)).content as
        Tree | undefined;
      const type = (answer.headers['content-type'] ?? '').split(';')[0]!;
      // No description of contents can say that there may be none.
      if (answer.body === undefined && answer.headers['preference-applied'] === 'return=minimal') return [];
      if (content === undefined) {
        return answer.body === undefined ? [] : undeclared('the document', 'an answer without a body', type);
      }
      if (content[type] === undefined) return undeclared('the content type', Object.keys(content).join(' or '), type);
      const media = `${pointer}/content/${escaped(type)}`;
      const { data } = (answer.body ?? {}) as { data?: unknown };
      const isOther = (schema: string): Fault[] =>
        [data].flat().flatMap((one) => faultsOf(`${media}/${schema}`, one, '/data'));
      const other = otherSchema(content[type] as Tree, query);
      if (other !== undefined) {
        const faults = isOther(other);
        // A related record that a view shows parts of is whole where `include` names it.
        return faults.length > 0 && /(^|&)include=/.test(query) ? isOther(FIELDS) : faults;
      }
      // Of many that are made, `data` is an array of what the schema says of one.
      const faults = faultsOf(`${media}/schema`, answer.body, '');
      if (faults.length === 0 || answer.status !== 201 || !Array.isArray(data)) return faults;
      return data.flatMap((one: unknown) => faultsOf(`${media}/schema`, { data: one }, ''));
    },
  };
}

/** The word of the document for what a record has in another view, or with `fields`; undefined for the usual one. */
function otherSchema(media: Tree, query: string): string | undefined {
  const asked = new URLSearchParams(query);
  if (asked.has('fields')) return media[FIELDS] === undefined ? undefined : FIELDS;
  const view = asked.get('view');
  const views = media[VIEWS] as Tree | undefined;
  return view !== null && views !== undefined && Object.hasOwn(views, view) ? `${VIEWS}/${escaped(view)}` : undefined;
}

const escaped = (text: string): string => encodeURIComponent(text.replaceAll('~', '~0').replaceAll('/', '~1'));
