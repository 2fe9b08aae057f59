import { unknownRecord } from '../../access/authorization.ts';
import { memoizeByPermissions } from '../../access/permissions.ts';
import type { Permissions } from '../../access/permissions.ts';
import type { Principal } from '../../access/principal.ts';
import { pointerTo } from '../../api/failure.ts';
import type { Reply } from '../../api/message.ts';
import { HttpProblem } from '../../api/problems.ts';
import { modelOf } from '../../model/graph.ts';
import type { Model } from '../../model/model.ts';
import { thereStatement } from '../../query/statements.ts';
import type { Values } from '../../rules/schema.ts';
import { keyFromText } from '../request/key.ts';
import type { EndpointContext } from './context.ts';

/**
 * Makes records under the one with a key of a path, if there is such a key: with the member that names that record,
 * once it is known that this caller may read it.
 */
export type MakeUnderParent = (
  principal: Principal,
  parentKey: string | undefined,
  make: (add: Values) => Promise<Reply>,
) => Promise<Reply>;

export function makeUnderParent(model: Model, { graph, store, runtime }: EndpointContext): MakeUnderParent {
  const { parent } = model;
  if (parent === undefined) return (_principal, _none, make) => make({});
  const { dialect } = store;
  const { member } = parent.field;
  const whole = modelOf(graph, parent.target);
  const statementFor = memoizeByPermissions((permissions: Permissions) =>
    thereStatement(graph, whole, dialect, permissions.may(whole, 'read')),
  );
  const isGone = (pointer: string, rule: string): boolean =>
    rule === 'unknown-record' && pointer.replace(/^\/\d+(?=\/)/, '') === pointerTo(member);
  return async (principal, parentKey, make) => {
    if (parentKey === undefined) return make({});
    const { caller, permissions } = principal;
    if (permissions.may(whole, 'read') === false) throw unknownRecord(permissions, whole);
    const key = keyFromText(whole.key, parentKey);
    const statement = statementFor(permissions);
    const bound = [dialect.bind(whole.key, key), ...statement.values({ now: runtime.now(), caller })];
    if ((await store.first(statement, bound)) === undefined) throw unknownRecord(permissions, whole);
    try {
      return await make({ [member]: key });
    } catch (error) {
      // That the record has gone meanwhile is nothing that the body is to blame for.
      const failures = error instanceof HttpProblem ? (error.options.errors ?? []) : [];
      if (failures.some((one) => 'pointer' in one && isGone(one.pointer, one.rule)))
        throw unknownRecord(permissions, whole);
      throw error;
    }
  };
}
