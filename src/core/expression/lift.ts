import { manysOf } from '../model/expression.ts';
import type { Expression, List } from '../model/expression.ts';

const ANYWHERE: readonly string[] = ['constant', 'now', 'today', 'me', 'has-role'];

/**
 * A condition over each of many records in which whatever depends on none of them is one `outer` value: it is worked
 * out once, for the record that they belong to.
 */
export function lifted(node: Expression): Expression {
  if (node.op === 'outer') return node;
  if (isOutside(node)) return ANYWHERE.includes(node.op) ? node : { op: 'outer', of: unwrapped(node), type: node.type };
  return manysOf(node).length > 0 ? node : mapped(node, lifted);
}

const unwrapped = (node: Expression): Expression => (node.op === 'outer' ? node.of : mapped(node, unwrapped));

/** Whether nothing in it is of the many records themselves. */
function isOutside(node: Expression): boolean {
  if (node.op === 'outer' || ANYWHERE.includes(node.op)) return true;
  if (node.op === 'field' || node.op === 'at' || node.op === 'when' || manysOf(node).length > 0) return false;
  let outside = true;
  mapped(node, (part) => {
    outside &&= isOutside(part);
    return part;
  });
  return outside;
}

const PARTS = ['of', 'left', 'right', 'low', 'high', 'args', 'among'] as const;

/** The same node of other parts; what is asked of many records is left as it is. */
function mapped(node: Expression, change: (part: Expression) => Expression): Expression {
  const changed = new Map<string, unknown>();
  const parts = node as Partial<Record<(typeof PARTS)[number], Expression | List | readonly Expression[]>>;
  for (const name of PARTS) {
    const part = parts[name];
    if (part === undefined) continue;
    if (Array.isArray(part)) changed.set(name, (part as readonly Expression[]).map(change));
    else changed.set(name, 'op' in part ? change(part) : mappedList(part as List, change));
  }
  return { ...node, ...Object.fromEntries(changed) };
}

function mappedList(list: List, change: (part: Expression) => Expression): List {
  if (list.kind === 'array') return { ...list, of: change(list.of) };
  return list.kind === 'constants' ? { ...list, values: list.values.map(change) } : list;
}
