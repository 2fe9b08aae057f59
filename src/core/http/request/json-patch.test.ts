import { createRequire } from 'node:module';
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { compile } from '../../compile.ts';
import type { PatchStep } from './apply-patch.ts';
import { patchedMembers, readPatch } from './json-patch.ts';
import { HttpProblem } from '../../api/problems.ts';

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
    throw error;
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
    [[{ op: 'add', path: '/toString/call', value: 1 }], 'invalid-body', '/0/path'],
    [[{ op: 'add', path: '/inside/__proto__', value: 1 }], 'invalid-body', '/0/path'],
    [[{ op: 'replace', path: '/list/length', value: 10_000_000 }], 'invalid-body', '/0/path'],
    [[{ op: 'remove', path: '/b/0' }], 'invalid-body', '/0/path'],
    [[{ op: 'move', from: '/inside', path: '/inside/x' }], 'invalid-body', '/0/path'],
    [
      [
        { op: 'test', path: '/b', value: 'x' },
        { op: 'test', path: '/b', value: 1 },
      ],
      'test-failed',
      '/1',
    ],
    [[{ op: 'remove', path: '/list/9' }], 'invalid-body', '/0/path'],
    [[{ op: 'move', from: '/gone', path: '/b' }], 'invalid-body', '/0/from'],
    [Array(1001).fill({ op: 'test', path: '/b', value: 'x' }), 'invalid-body', ''],
    [Array(70).fill({ op: 'copy', from: '/inside', path: '/inside/deeper' }), 'invalid-body', '/62'],
  ])('what can not be done is refused: %#', (body, problem, pointer) => {
    expect(problemOf(() => patchedMembers(model, shown, readPatch(body)))).toEqual({ problem, pointer });
  });

  test('deep values that are put into deep values are refused, however slowly they grow', () => {
    let path = '/inside';
    const steps = Array.from({ length: 80 }, () => ({ op: 'add', path: (path += '/d'), value: {} }));
    expect(problemOf(() => patchedMembers(model, shown, readPatch(steps)))).toEqual({
      problem: 'invalid-body',
      pointer: '/62',
    });
  });
});

interface SuiteCase {
  readonly doc: unknown;
  readonly patch: readonly Record<string, unknown>[];
  readonly expected?: unknown;
  readonly error?: string;
  readonly comment?: string;
  readonly disabled?: boolean;
}

/** The cases of the public suite, whose documents are any values, as the only member of a record. */
const suite = ['tests.json', 'spec_tests.json']
  .flatMap((file) => createRequire(import.meta.url)(`json-patch-test-suite/${file}`) as SuiteCase[])
  .filter(({ disabled, patch }) => disabled !== true && patch !== undefined);

const below = (pointer: unknown): unknown =>
  typeof pointer === 'string' && (pointer === '' || pointer.startsWith('/')) ? `/doc${pointer}` : pointer;

test.each(suite.map((one, at) => [`${at}: ${one.comment ?? one.error ?? JSON.stringify(one.patch)}`, one] as const))(
  'the public suite, %s',
  (_title, { doc, patch, expected, error }) => {
    const steps = patch.map((step) => ({
      ...step,
      ...(Object.hasOwn(step, 'path') ? { path: below(step.path) } : {}),
      ...(Object.hasOwn(step, 'from') ? { from: below(step.from) } : {}),
    }));
    const ask = () => patchedMembers(model, { doc }, readPatch(steps));
    if (error !== undefined) expect(ask).toThrow(HttpProblem);
    else expect({ doc, ...ask() }).toEqual({ doc: expected === undefined ? doc : expected });
  },
);

// A plain reading of RFC 6902 over maps and lists, which have nothing to inherit.
type Node = Map<string, Node> | Node[] | string | number | boolean | null;
const LOST = new Error('lost');

const nodeOf = (value: unknown): Node =>
  Array.isArray(value)
    ? value.map(nodeOf)
    : typeof value === 'object' && value !== null
      ? new Map(Object.entries(value).map(([name, item]) => [name, nodeOf(item)]))
      : (value as Node);
const jsonOf = (node: Node): unknown =>
  Array.isArray(node)
    ? node.map(jsonOf)
    : node instanceof Map
      ? { members: [...node].map(([name, one]) => [name, jsonOf(one)]).sort() }
      : node;

const isIndex = (token: string): boolean => /^(0|[1-9][0-9]*)$/.test(token);

function look(node: Node, tokens: readonly string[]): Node {
  let at = node;
  for (const token of tokens) {
    if (at instanceof Map && at.has(token)) at = at.get(token)!;
    else if (Array.isArray(at) && isIndex(token) && Number(token) < at.length) at = at[Number(token)]!;
    else throw LOST;
  }
  return at;
}

function referee(node: Node, step: { op: string; path: string[]; from: string[]; value: unknown }): void {
  const { op, path, from } = step;
  const holder = (tokens: readonly string[]): Node => look(node, tokens.slice(0, -1));
  const remove = (tokens: readonly string[]): Node => {
    const value = look(node, tokens);
    const within = holder(tokens);
    if (within instanceof Map) within.delete(tokens.at(-1)!);
    else (within as Node[]).splice(Number(tokens.at(-1)), 1);
    return value;
  };
  const add = (value: Node): void => {
    const within = holder(path);
    const last = path.at(-1)!;
    if (within instanceof Map && last !== '__proto__') within.set(last, value);
    else if (Array.isArray(within) && last === '-') within.push(value);
    else if (Array.isArray(within) && isIndex(last) && Number(last) <= within.length)
      within.splice(Number(last), 0, value);
    else throw LOST;
  };
  if (op === 'add') add(nodeOf(step.value));
  else if (op === 'remove') remove(path);
  else if (op === 'replace') {
    const within = (remove(path), holder(path));
    if (within instanceof Map) within.set(path.at(-1)!, nodeOf(step.value));
    else add(nodeOf(step.value));
  } else if (op === 'move') {
    look(node, from);
    if (path.length > from.length && from.every((token, at) => token === path[at])) throw LOST;
    add(remove(from));
  } else if (op === 'copy') add(nodeOf(JSON.parse(JSON.stringify(plainOf(look(node, from))))));
  else if (JSON.stringify(jsonOf(look(node, path))) !== JSON.stringify(jsonOf(nodeOf(step.value)))) throw LOST;
}

const plainOf = (node: Node): unknown =>
  Array.isArray(node)
    ? node.map(plainOf)
    : node instanceof Map
      ? Object.fromEntries([...node].map(([k, v]) => [k, plainOf(v)]))
      : node;

// Every name that a value inherits in JavaScript, and every way to write something like an index.
const inherited = [Object.prototype, Array.prototype, String.prototype, Function.prototype].flatMap((one) =>
  Object.getOwnPropertyNames(one),
);
const token = fc.oneof(
  fc.constantFrom('a', 'b', 'list', 'deep', '0', '1', '2', '-', '', 'a/b', 'm~n'),
  fc.constantFrom('-1', '01', '1e0', '1.0', ' 1', '+1', 'é', '𝒳', 'length', ...inherited),
);
const leaf = fc.oneof(fc.constantFrom('x', 'long text', '', null, true, false), fc.integer({ min: -3, max: 3 }));
const { value: json } = fc.letrec((tie) => ({
  value: fc.oneof(
    { depthSize: 'small', withCrossShrink: true },
    leaf,
    fc.array(tie('value'), { maxLength: 3 }),
    fc.dictionary(fc.constantFrom('a', 'b', 'list', 'a/b', 'm~n', 'toString', 'length'), tie('value'), { maxKeys: 3 }),
  ),
}));
const pointer = fc.array(token, { minLength: 1, maxLength: 3 });
const steps = fc.array(
  fc.record({
    op: fc.constantFrom<PatchStep['op']>('add', 'remove', 'replace', 'move', 'copy', 'test'),
    path: pointer,
    from: pointer,
    value: json,
  }),
  { minLength: 1, maxLength: 4 },
);
const written = (tokens: readonly string[]): string =>
  tokens.map((one) => `/${one.replaceAll('~', '~0').replaceAll('/', '~1')}`).join('');

test('random pointers over random records answer as a plain reading of the RFC does', () => {
  const record = fc.record({
    a: json,
    list: fc.array(json, { maxLength: 3 }),
    deep: fc.record({ a: json, list: fc.array(json) }),
  });
  fc.assert(
    fc.property(record, steps, (before, patch) => {
      const node = nodeOf(before);
      let isLost = false;
      try {
        for (const step of patch) referee(node, { ...step, value: step.value });
      } catch (error) {
        if (error !== LOST) throw error;
        isLost = true;
      }
      const asked = patch.map((step) => ({ ...step, path: written(step.path), from: written(step.from) }));
      const text = JSON.stringify(before);
      let after: unknown;
      try {
        const members = patchedMembers(model, before, readPatch(asked));
        after = { ...before, ...members };
      } catch (error) {
        if (!(error instanceof HttpProblem)) throw error;
      }
      expect(JSON.stringify(before)).toBe(text);
      expect(after === undefined).toBe(isLost);
      if (isLost) return;
      // A member that went is null: that is how a record has none.
      const wanted = new Map(node as Map<string, Node>);
      for (const name of Object.keys(before)) if (!wanted.has(name)) wanted.set(name, null);
      const got = nodeOf(after) as Map<string, Node>;
      for (const [name, value] of got) if (value === null && !wanted.has(name)) got.delete(name);
      expect(jsonOf(got)).toEqual(jsonOf(wanted));
    }),
    { numRuns: 3_000 },
  );
});
