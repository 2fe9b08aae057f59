import { grantsOf, operationAct } from '../../access/condition.ts';
import type { Act } from '../../access/condition.ts';
import { grantsText } from '../../access/grant-text.ts';
import { allEndpoints } from '../../api/endpoints.ts';
import type { Endpoint } from '../../api/endpoints.ts';
import type { Grant } from '../../model/access.ts';
import type { ValueSpec } from '../../model/field.ts';
import { modelOf } from '../../model/graph.ts';
import type { Graph } from '../../model/graph.ts';
import type { Model } from '../../model/model.ts';
import { isSettable, mustBeGiven } from '../../rules/schema.ts';
import { testsOf } from '../../rules/tests.ts';
import { byNames, matcherOf } from '../paths.ts';
import type { Answered, Coverage, Covered, Outcome } from './outcome.ts';

/** Statuses that come of the surroundings, of HTTP itself, or of the project's own code. */
const BESIDE = ['406', '413', '414', '415', '428', '429', '500', '503', '4XX'];

/** What of a service's endpoints, statuses, rules and grants no case has met. */
export function coverageOf(graph: Graph, document: Record<string, unknown>, outcomes: readonly Outcome[]): Coverage {
  const endpoints = allEndpoints(graph).map((endpoint) => ({
    endpoint,
    named: `${endpoint.method} ${endpoint.path}`,
    isOf: matcherOf(endpoint.path),
  }));
  const met = new Map<string, Answered[]>(endpoints.map(({ named }) => [named, []]));
  const ordered = [...endpoints].sort((one, other) => byNames(one.named, other.named));
  for (const answered of outcomes.flatMap((outcome) => outcome.answered)) {
    const found = ordered.find(({ endpoint, isOf }) => endpoint.method === answered.method && isOf.test(answered.path));
    if (found !== undefined) met.get(found.named)!.push(answered);
  }
  return {
    endpoints: covered(endpoints.map(({ named }) => [named, met.get(named)!.length > 0])),
    statuses: covered(
      endpoints.flatMap(({ endpoint, named }) =>
        statusesOf(document, endpoint).map((status): [string, boolean] => [
          `${named} ${status}`,
          met.get(named)!.some((one) => String(one.status) === status),
        ]),
      ),
    ),
    rules: covered(
      graph.models.flatMap((model) =>
        rulesOf(model).map(([rule, pointer]): [string, boolean] => [
          `${model.name}${pointer.replace('/', '.')} ${rule}`,
          isTried(outcomes, model, rule, pointer),
        ]),
      ),
    ),
    grants: covered(
      graph.identity === undefined
        ? []
        : endpoints.flatMap(({ endpoint, named }) => grantsMet(graph, endpoint, met.get(named)!)),
    ),
  };
}

const covered = (all: readonly (readonly [string, boolean])[]): Covered => ({
  all: all.length,
  missing: all.filter(([, isMet]) => !isMet).map(([name]) => name),
});

function statusesOf(document: Record<string, unknown>, { method, path }: Endpoint): string[] {
  const paths = document.paths as Record<string, Record<string, { responses: object }>>;
  return Object.keys(paths[path]![method.toLowerCase()]!.responses).filter((status) => !BESIDE.includes(status));
}

/** Every rule that a client can break, and its place. */
function rulesOf(model: Model): [string, string][] {
  const own = model.fields.flatMap((field): [string, string][] => {
    const at = `/${field.member}`;
    if (!isSettable(field, 'create')) return field.origin === 'field' ? [['readOnly', at]] : [];
    const { rules } = field;
    return [
      ...(mustBeGiven(field) && field.derivedFrom === undefined && field !== model.owner?.[0]?.field
        ? [['required', at] as [string, string]]
        : []),
      ...namesOf(field).map((rule): [string, string] => [rule, at]),
      ...(rules.immutable && field.origin === 'field' && model.endpoints.has('update')
        ? [['immutable', at] as [string, string]]
        : []),
      ...(field.refersTo === undefined ? [] : [['unknown-record', at] as [string, string]]),
    ];
  });
  const sets = model.unique.map((set): [string, string] => ['unique', `/${set.at(-1)!.member}`]);
  const across = model.rules.map(({ at }): [string, string] => ['check', at === undefined ? '' : `/${at}`]);
  return model.endpoints.has('create') ? [...own, ...sets, ...across] : [];
}

const namesOf = (spec: ValueSpec): string[] =>
  [...new Set(testsOf(spec).map(({ rule }) => rule))].filter((rule) => rule !== 'required');

const isTried = (outcomes: readonly Outcome[], { name }: Model, rule: string, pointer: string): boolean =>
  outcomes.some(
    ({ case: one }) =>
      one.model === name &&
      one.steps.some(
        ({ expect: { error } }) =>
          error?.rule === rule && (error.pointer === pointer || error.pointer.startsWith(`${pointer}/`)),
      ),
  );

/** Whether everybody may: a child follows its parent. */
function isForAll(graph: Graph, model: Model, grants: readonly Grant[]): boolean {
  return grants.some((grant) => {
    if (grant.kind !== 'parent') return grant.kind === 'anybody';
    const whole = modelOf(graph, model.parent!.target);
    return isForAll(graph, whole, whole.access.verbs[grant.verb]);
  });
}

/** Whether somebody was let in, and somebody was not, where grants tell callers apart. */
function grantsMet(
  graph: Graph,
  { name, model, operation, under }: Endpoint,
  answered: readonly Answered[],
): [string, boolean][] {
  // Within a whole they are those of the model's own endpoints.
  if (under !== undefined) return [];
  const act = (operation === undefined ? (name === 'list' ? 'read' : name) : operationAct(operation.name)) as Act;
  const grants = grantsOf(model, act);
  const asked = answered.filter(({ as }) => as !== undefined);
  const words = `${model.name}.${operation?.name ?? name}`;
  const isOpen = isForAll(graph, model, grants);
  const isClosed = grants.every(({ kind }) => kind === 'nobody');
  const isIn = ({ status }: Answered): boolean => status < 400 || status === 412 || status === 422 || status === 409;
  return [
    ...(isClosed ? [] : [[`${words}: ${grantsText(model, grants)}, let in`, asked.some(isIn)] as [string, boolean]]),
    ...(isOpen
      ? []
      : [
          [
            `${words}: ${grantsText(model, grants)}, kept out`,
            asked.some(({ status }) => [401, 403, 404].includes(status)) || name === 'list',
          ] as [string, boolean],
        ]),
  ];
}
