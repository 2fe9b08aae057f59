import { authorize } from '../../access/authorization.ts';
import { operationAct } from '../../access/condition.ts';
import { memoizeByPermissions } from '../../access/permissions.ts';
import type { Permissions } from '../../access/permissions.ts';
import type { Principal } from '../../access/principal.ts';
import type { Endpoint } from '../../api/endpoints.ts';
import type { Reply } from '../../api/message.ts';
import { modelOf } from '../../model/graph.ts';
import type { Model } from '../../model/model.ts';
import type { Scalar } from '../../model/scalar.ts';
import { maskProjection } from '../../query/mask-projection.ts';
import { wholeOf } from '../../query/projection.ts';
import type { Projection } from '../../query/projection.ts';
import { projectionStatement, thereStatement } from '../../query/statements.ts';
import type { Values } from '../../rules/schema.ts';
import type { EndpointContext } from './context.ts';

/** An earlier answer, without what its caller may no longer see. */
export type Replay = (principal: Principal, endpoint: Endpoint, reply: Reply) => Promise<Reply>;

export function makeReplay({ graph, store, runtime }: EndpointContext): Replay {
  const { dialect } = store;
  const ofModel = new Map(
    graph.models.map((model) => {
      const there = thereStatement(graph, model, dialect, true);
      const seen = memoizeByPermissions((permissions: Permissions) => {
        const projection = maskProjection(permissions, model, wholeOf(graph, model));
        return {
          projection,
          statement: projectionStatement(graph, model, projection, dialect, { guard: permissions.may(model, 'read') }),
        };
      });
      return [model, { there, seen }];
    }),
  );

  async function recordFor({ caller, permissions }: Principal, model: Model, told: Values): Promise<Values> {
    const { there, seen } = ofModel.get(model)!;
    const { projection, statement } = seen(permissions);
    const key = told[model.key.member] as Scalar;
    const bound = dialect.bind(model.key, key);
    const row = await store.first(statement, [bound, ...statement.values({ now: runtime.now(), caller })]);
    if (row !== undefined) return overlap(told, JSON.parse(String(row[0])) as Values, projection);
    const isHidden = (await store.first(there, [bound])) !== undefined;
    // Nobody knows any more who owned a deleted record.
    return isHidden ? { [model.key.member]: key } : remembered(told, projection);
  }

  return async (principal, endpoint, reply) => {
    const { model, operation } = endpoint;
    authorize(principal.permissions, model, operation === undefined ? 'create' : operationAct(operation.name));
    const output = operation?.output;
    const of =
      operation === undefined
        ? model
        : output !== undefined && output.kind !== 'fields'
          ? modelOf(graph, output.model)
          : undefined;
    if (of === undefined || reply.body === undefined || principal.permissions.viewer.kind === 'service') return reply;
    const { data, ...rest } = JSON.parse(reply.body) as { data: Values | Values[] | null };
    if (data === null) return reply;
    if (!Array.isArray(data)) return { ...reply, body: JSON.stringify({ data: await recordFor(principal, of, data) }) };
    const records: Values[] = [];
    for (const one of data) records.push(await recordFor(principal, of, one));
    return { ...reply, body: JSON.stringify({ data: records, ...rest }) };
  };
}

const isForAll = (member: Projection[number]): boolean =>
  member.when === undefined && (member.kind === 'computed' || (member.kind === 'field' && member.value === undefined));

/**
 * The stored answer of a deleted record, without what depends on other records: nobody knows who may see that now.
 */
const remembered = (told: Values, projection: Projection): Values =>
  Object.fromEntries(
    projection
      .filter(({ name, when }) => when === undefined && Object.hasOwn(told, name))
      .map((member) => [member.name, isForAll(member) ? told[member.name]! : member.kind === 'keys' ? [] : null]),
  );

/**
 * The stored answer, limited to what may be seen now; related records as they are now, because they have their own
 * grants.
 */
function overlap(told: Values, now: Values, projection: Projection): Values {
  const members = projection.flatMap((member): [string, Values[string]][] => {
    const { name, kind } = member;
    if (!Object.hasOwn(told, name)) return [];
    if (isForAll(member)) return [[name, told[name]!]];
    if (!Object.hasOwn(now, name)) return [];
    const isOwn = kind === 'computed' || (kind === 'field' && (member.value === undefined || now[name] !== null));
    return [[name, isOwn ? told[name]! : now[name]!]];
  });
  return Object.fromEntries(members);
}
