import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { compile } from '../compile.ts';
import type { Field } from '../model/field.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import { withKey } from '../model/indexes.ts';
import type { Model } from '../model/model.ts';
import { boundsOf } from './bounds.ts';
import { indexAdvice } from './index-advice.ts';

const NAMES = ['a', 'b', 'c', 'd'];

function graphWith(index: readonly string[] | undefined): Graph {
  const text =
    'model: thing\nfields: { ' +
    `${NAMES.map((name) => `${name}: { type: integer }`).join(', ')} }\n` +
    'relations: { up: { to: thing } }\n';
  const { graph } = compile({
    service: { file: 'vantfell.yaml', text: 'service: { name: X }\n' },
    models: [{ file: 'thing', text: index === undefined ? text : `${text}index: [[${index.join(', ')}]]\n` }],
    environment: {},
  });
  return graph!;
}

const asked = (
  model: Model,
  equal: readonly string[],
  ranges: readonly string[],
  sort: readonly string[],
  descending: boolean,
) => {
  const field = (name: string): Field => model.byMember.get(name === 'up' ? 'up_id' : name)!;
  const order = sort.map((name) => ({ field: field(name), descending }));
  return {
    equal: equal.map(field),
    ranges: ranges.map(field),
    more: false,
    order: withKey(order, model),
  };
};

describe('the index that would help a list', () => {
  test('serves it once it is declared: whatever is equal, and in one range and one direction', () => {
    const name = fc.constantFrom(...NAMES, 'up');
    const wanted = fc.record({
      equal: fc.uniqueArray(name, { maxLength: 2 }),
      sort: fc.uniqueArray(name, { maxLength: 2 }),
      range: fc.boolean(),
      descending: fc.boolean(),
    });
    let advised = 0;
    fc.assert(
      fc.property(wanted, ({ equal, sort, range, descending }) => {
        const order = sort.filter((one) => !equal.includes(one));
        const ranges = range && order[0] !== undefined && order[0] !== 'up' ? [order[0]] : [];
        const graph = graphWith(undefined);
        const model = modelOf(graph, 'thing');
        const form = asked(model, equal, ranges, order, descending);
        const bounded = boundsOf(graph, model).isBounded(form);
        const advice = indexAdvice(graph, { model, asked: form, computed: false, bounded });
        if (bounded) return void expect(advice).toBeUndefined();
        advised += 1;
        expect(advice?.index).toBeDefined();
        const better = graphWith(advice!.index);
        const same = modelOf(better, 'thing');
        expect(boundsOf(better, same).isBounded(asked(same, equal, ranges, order, descending))).toBe(true);
      }),
    );
    expect(advised).toBeGreaterThan(10);
  });

  test('does not exist for what is worked out, and says what it leaves to be looked at', () => {
    const graph = graphWith(undefined);
    const model = modelOf(graph, 'thing');
    const form = asked(model, [], ['a', 'b'], ['c'], false);
    const { index, but } = indexAdvice(graph, {
      model,
      asked: { ...form, more: true },
      computed: true,
      bounded: false,
    })!;
    expect(index).toEqual(['a']);
    expect(but).toHaveLength(3);
    const mixed = {
      ...form,
      ranges: [],
      order: [
        { field: form.order[0]!.field, descending: true },
        { field: model.byMember.get('a')!, descending: false },
      ],
    };
    expect(indexAdvice(graph, { model, asked: mixed, computed: false, bounded: false })).toMatchObject({
      but: [expect.stringContaining('both directions')],
    });
  });
});
