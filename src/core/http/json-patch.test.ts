import { describe, expect, test } from '@jest/globals';
import { compile } from '../compile.ts';
import { patchedMembers, readPatch } from './json-patch.ts';
import type { PatchStep } from './json-patch.ts';
import { HttpProblem } from './problems.ts';

const { graph } = compile({
  service: { file: 's', text: 'service: { name: X }' },
  models: [{ file: 'm', text: 'model: a\nfields: { b: { type: string }, code: { type: string, writeOnly: true } }' }],
  environment: {},
});
const model = graph!.models[0]!;
const shown = { b: 'x', list: [1, 2], inside: { 'a/b': 1, 'c~d': 2 } };

const patched = (...steps: PatchStep[]) => patchedMembers(model, shown, readPatch(steps));
function problemOf(work: () => unknown): { problem: string; pointer: unknown } {
  try {
    work();
  } catch (error) {
    if (error instanceof HttpProblem) {
      const [first] = error.options.errors!;
      return { problem: error.problem, pointer: (first as { pointer: string }).pointer };
    }
  }
  return { problem: 'none', pointer: undefined };
}

describe('a JSON Patch', () => {
  test('gives the members that it changes, and leaves the record alone', () => {
    expect(patched({ op: 'replace', path: '/b', value: 'y' })).toEqual({ b: 'y' });
    expect(patched({ op: 'remove', path: '/b' })).toEqual({ b: null });
    expect(patched({ op: 'add', path: '/list/-', value: 3 })).toEqual({ list: [1, 2, 3] });
    expect(patched({ op: 'add', path: '/list/0', value: 3 })).toEqual({ list: [3, 1, 2] });
    expect(patched({ op: 'move', from: '/b', path: '/list/0' })).toEqual({ b: null, list: ['x', 1, 2] });
    expect(patched({ op: 'replace', path: '/inside/a~1b', value: 5 })).toEqual({ inside: { 'a/b': 5, 'c~d': 2 } });
    expect(patched({ op: 'test', path: '/inside/c~0d', value: 2 })).toEqual({});
    expect(patched({ op: 'replace', path: '/b', value: 'x' })).toEqual({});
    expect(patched({ op: 'replace', path: '/code', value: 'new' })).toEqual({ code: 'new' });
    expect(shown).toEqual({ b: 'x', list: [1, 2], inside: { 'a/b': 1, 'c~d': 2 } });
  });

  test.each<[unknown, string, string]>([
    [{}, 'invalid-body', ''],
    [[1], 'invalid-body', '/0'],
    [[{ op: 'add', path: '/b' }], 'invalid-body', '/0/value'],
    [[{ op: 'move', path: '/b' }], 'invalid-body', '/0/from'],
    [[{ op: 'add', path: '/b~2', value: 1 }], 'invalid-body', '/0/path'],
    [[{ op: 'add', path: '/constructor/x', value: 1 }], 'invalid-body', '/0/path'],
    [[{ op: 'test', path: '/b', value: 'x' }, { op: 'test', path: '/b', value: 1 }], 'test-failed', '/1'], // prettier-ignore
    [[{ op: 'remove', path: '/list/9' }], 'invalid-body', '/0/path'],
    [[{ op: 'move', from: '/gone', path: '/b' }], 'invalid-body', '/0/from'],
    [Array(1001).fill({ op: 'test', path: '/b', value: 'x' }), 'invalid-body', ''],
  ])('%j is refused', (body, problem, pointer) => {
    expect(problemOf(() => patchedMembers(model, shown, readPatch(body)))).toEqual({ problem, pointer });
  });
});
