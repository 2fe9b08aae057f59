import { pointerTo } from '../../api/failure.ts';
import { MOST_STEPS } from '../../api/limits.ts';
import { brokenRules, HttpProblem } from '../../api/problems.ts';
import type { Model } from '../../model/model.ts';
import type { FieldValue } from '../../model/scalar.ts';
import { isSame } from '../../model/value.ts';
import { isRecord } from '../../text/value.ts';
import { makePatcher } from './apply-patch.ts';
import type { PatchStep, ReadStep, StepFault } from './apply-patch.ts';
import { readPointer } from './pointer.ts';

const OPS = ['add', 'remove', 'replace', 'move', 'copy', 'test'];

const wrong = (detail: string, ...place: (string | number)[]): HttpProblem =>
  brokenRules([{ pointer: pointerTo(...place), rule: 'patch', detail }]);

/** Reads a patch, as far as possible without the record. */
export function readPatch(body: unknown): ReadStep[] {
  if (!Array.isArray(body)) throw wrong('a JSON Patch is an array of operations');
  if (body.length > MOST_STEPS) throw wrong(`has ${body.length} operations; ${MOST_STEPS} is the most`);
  return body.map((step: unknown, at): ReadStep => {
    if (!isRecord(step)) throw wrong('must be an object with op and path', at);
    const { op } = step;
    if (typeof op !== 'string' || !OPS.includes(op)) throw wrong(`must be one of ${OPS.join(', ')}`, at, 'op');
    const pointerIn = (name: 'path' | 'from'): string[] => {
      const text = step[name];
      const tokens = typeof text === 'string' ? readPointer(text) : undefined;
      if (tokens === undefined) throw wrong('must be a JSON Pointer, as /beds or /tags/0', at, name);
      if (tokens.length === 0) throw wrong('must name a member: the record as a whole is for PUT', at, name);
      return tokens;
    };
    const path = pointerIn('path');
    const from = op === 'move' || op === 'copy' ? pointerIn('from') : [];
    if (['add', 'replace', 'test'].includes(op) && !Object.hasOwn(step, 'value'))
      throw wrong('must be given', at, 'value');
    return { op: op as PatchStep['op'], path, from, value: step.value };
  });
}

/**
 * The members that a patch changes of a record as its caller reads it, with their new values. Members that are never
 * shown count as absent, but can be set.
 */
export function patchedMembers(
  model: Model,
  shown: Readonly<Record<string, unknown>>,
  steps: readonly ReadStep[],
): Record<string, unknown> {
  const patched = structuredClone(shown) as Record<string, unknown>;
  const touched = new Set<string>();
  const take = makePatcher(patched);
  steps.forEach((step, at) => {
    const [member = ''] = step.path;
    // For the client there is nothing to replace.
    const isHidden = step.path.length === 1 && model.byMember.get(member)?.rules.writeOnly === true;
    const fault = take(isHidden && step.op === 'replace' ? { ...step, op: 'add' } : step);
    if (fault !== undefined) throw refusal(fault, at);
    if (step.op === 'move') touched.add(step.from[0]!);
    if (step.op !== 'test') touched.add(member);
  });
  const valueOf = (record: Readonly<Record<string, unknown>>, member: string): unknown =>
    Object.hasOwn(record, member) ? record[member] : undefined;
  return Object.fromEntries(
    [...touched].flatMap((member) => {
      const [before, after] = [valueOf(shown, member), valueOf(patched, member) ?? null];
      const isChanged = before === undefined || !isSame(after as FieldValue, before as FieldValue);
      return isChanged ? [[member, after]] : [];
    }),
  );
}

function refusal(fault: StepFault, at: number): HttpProblem {
  switch (fault.kind) {
    case 'other-value':
      return new HttpProblem('test-failed', undefined, {
        errors: [{ pointer: pointerTo(at), rule: 'test', detail: 'is another value' }],
      });
    case 'nothing-there':
      return wrong('there is nothing at this place', at, fault.at);
    case 'into-itself':
      return wrong('can not move into itself', at, 'path');
    case 'too-deep':
      return wrong('makes the record too deep', at);
    case 'too-much':
      return wrong('copies too much', at);
  }
}
