import { firstOf, manysOf, walk } from '../model/expression.ts';
import type { Expression } from '../model/expression.ts';
import { VERIFIED } from '../model/access.ts';
import type { Grant } from '../model/access.ts';
import type { Graph } from '../model/graph.ts';
import type { Caller } from '../expression/context.ts';

/** A kind of caller, as far as grants distinguish callers without looking at a record. */
export interface Viewer {
  /** The service itself may do everything. */
  readonly kind: 'service' | 'anonymous' | 'caller';
  /** The caller's roles, of those that any grant names. */
  readonly roles: ReadonlySet<string>;
  /** Equal for equal viewers. */
  readonly id: string;
}

export const SERVICE: Viewer = { kind: 'service', roles: new Set(), id: 'service' };
export const ANONYMOUS: Viewer = { kind: 'anonymous', roles: new Set(), id: 'anonymous' };

/** The viewer of a caller; roles that no grant names make no difference. */
export function viewersOf(graph: Graph): (caller: Caller | null) => Viewer {
  const asked = rolesAskedFor(graph);
  return (caller) => {
    if (caller === null) return ANONYMOUS;
    const held = asked.filter((role) => caller.roles.includes(role));
    return { kind: 'caller', roles: new Set(held), id: `caller ${JSON.stringify(held)}` };
  };
}

function rolesAskedFor({ models }: Graph): string[] {
  const roles = new Set<string>();
  const note = (grants: readonly Grant[]): void => {
    for (const grant of grants) {
      if (grant.kind === 'role') roles.add(grant.role);
      if (grant.kind === 'verified') roles.add(VERIFIED);
    }
  };
  for (const { access } of models) {
    Object.values(access.verbs).forEach(note);
    for (const named of [access.operations, access.fields, access.set]) [...named.values()].forEach(note);
  }
  return [...roles].sort();
}

/** Whether an expression's value depends on the links of a record, which are written after its row. */
export function asksForLinks(expression: Expression): boolean {
  let found = false;
  walk(expression, (node) => {
    found ||= manysOf(node)
      .map(firstOf)
      .some(({ of, via }) => of.op !== 'at' && 'table' in via);
  });
  return found;
}
