import type { Model } from '../../model/model.ts';
import { isRecord } from '../../text/value.ts';
import { Unsure } from './refusal.ts';
import type { Row } from './world-state.ts';

/** The members that a JSON Patch (RFC 6902) sets; of its steps only those that add or replace a whole member. */
export function patchedBody(model: Model, seen: Row, steps: unknown): Record<string, unknown> {
  if (!Array.isArray(steps)) throw new Unsure('the body is no JSON Patch');
  const body: Record<string, unknown> = {};
  for (const step of steps as unknown[]) {
    const member = isRecord(step) && typeof step.path === 'string' ? /^\/([^/~]+)$/.exec(step.path)?.[1] : undefined;
    const isSetting = isRecord(step) && (step.op === 'add' || step.op === 'replace') && Object.hasOwn(step, 'value');
    if (member === undefined || !isSetting || !model.byMember.has(member))
      throw new Unsure('the patch does more than set members');
    if (step.op === 'replace' && !Object.hasOwn(seen, member)) throw new Unsure('the patch replaces a hidden member');
    body[member] = step.value;
  }
  return body;
}
