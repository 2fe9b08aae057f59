import { applyPatch, Pointer } from 'rfc6902';
import { isRecord } from '../declaration/check-shape.ts';
import { isSame } from '../model/value.ts';
import type { FieldValue, Model } from '../model/graph.ts';
import { pointerTo } from '../rules/failure.ts';
import { brokenRules, HttpProblem } from './problems.ts';

/** One step of a JSON Patch (RFC 6902). */
export interface PatchStep {
  readonly op: 'add' | 'remove' | 'replace' | 'move' | 'copy' | 'test';
  readonly path: string;
  readonly from?: string;
  readonly value?: unknown;
}

const OPS = ['add', 'remove', 'replace', 'move', 'copy', 'test'];
const POINTER = /^(\/([^~/]|~[01])*)*$/;
/** Steps of one patch; and characters that its copies may make, which could else double each time. */
export const MOST_STEPS = 1_000;
const MOST_COPIED = 1_000_000;
/** Names by which JavaScript reaches into what all objects share. */
const INNER = ['__proto__', 'constructor', 'prototype'];

const wrong = (detail: string, ...place: (string | number)[]): HttpProblem =>
  brokenRules([{ pointer: pointerTo(...place), rule: 'patch', detail }]);

/** Reads a patch as far as that goes without the record. */
export function readPatch(body: unknown): PatchStep[] {
  if (!Array.isArray(body)) throw wrong('a JSON Patch is an array of operations');
  if (body.length > MOST_STEPS) throw wrong(`has ${body.length} operations; ${MOST_STEPS} is the most`);
  return body.map((step: unknown, at) => {
    if (!isRecord(step)) throw wrong('must be an object with op and path', at);
    const { op, path, from } = step;
    if (typeof op !== 'string' || !OPS.includes(op)) throw wrong(`must be one of ${OPS.join(', ')}`, at, 'op');
    const needed = op === 'move' || op === 'copy' ? { path, from } : { path };
    for (const [name, pointer] of Object.entries(needed)) {
      if (typeof pointer !== 'string' || !POINTER.test(pointer)) {
        throw wrong('must be a JSON Pointer, as /beds or /tags/0', at, name);
      }
      if (pointer === '') throw wrong('must name a member: the record as a whole is for PUT', at, name);
      if (pointer.split('/').some((part) => INNER.includes(part))) throw wrong('names no member', at, name);
    }
    if (['add', 'replace', 'test'].includes(op) && !Object.hasOwn(step, 'value'))
      throw wrong('must be given', at, 'value');
    return step as unknown as PatchStep;
  });
}

/**
 * The members that a patch changes of a record as its caller reads it, with their new values. What is never shown counts
 * as absent, and can be given a value all the same.
 */
export function patchedMembers(
  model: Model,
  shown: Readonly<Record<string, unknown>>,
  steps: readonly PatchStep[],
): Record<string, unknown> {
  const patched = structuredClone(shown) as Record<string, unknown>;
  const touched = new Set<string>();
  let copied = 0;
  steps.forEach((step, at) => {
    const [member = '', ...inside] = Pointer.fromJSON(step.path).tokens.slice(1);
    const isHidden = inside.length === 0 && model.byMember.get(member)?.rules.writeOnly === true;
    if (step.op === 'copy') {
      copied += JSON.stringify(Pointer.fromJSON(step.from!).get(patched) ?? null).length;
      if (copied > MOST_COPIED) throw wrong('copies too much', at);
    }
    // There is nothing there to be replaced, as far as the client knows.
    const asked = isHidden && step.op === 'replace' ? { ...step, op: 'add' } : step;
    if (asked.op === 'move') touched.add(Pointer.fromJSON(asked.from!).tokens[1]!);
    if (asked.op !== 'test') touched.add(member);
    const [error] = applyPatch(patched, [asked as never]);
    if (error === null || error === undefined) return;
    if (step.op === 'test' && error.name === 'TestError') {
      const detail = 'is another value';
      throw new HttpProblem('test-failed', undefined, { errors: [{ pointer: pointerTo(at), rule: 'test', detail }] });
    }
    throw wrong('there is nothing at this place', at, error.name === 'MissingError' && step.from !== undefined && Pointer.fromJSON(step.from).get(patched) === undefined ? 'from' : 'path'); // prettier-ignore
  });
  const changed = [...touched].filter(
    (member) => !Object.hasOwn(shown, member) || !isSame(patched[member] as FieldValue, shown[member] as FieldValue),
  );
  return Object.fromEntries(changed.map((member) => [member, patched[member] ?? null]));
}
