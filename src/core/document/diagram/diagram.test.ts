import { describe, expect, test } from '@jest/globals';
import { compile } from '../../compile.ts';
import { layOut } from './layout.ts';
import type { Laid, PlacedBox, Point } from './layout.ts';
import { textWidth } from './measures.ts';
import { diagramOf } from './parts.ts';
import { diagramSvg } from './svg.ts';

/** A service of so many models: some are parts of others, refer to one or two others, or belong to a member. */
function drawn(count: number): ReturnType<typeof diagramOf> {
  const name = (at: number): string => (at === 0 ? 'member' : `thing-${at}`);
  const models = Array.from({ length: count }, (_none, at) => {
    if (at === 0)
      return (
        'model: member\nfields: { email: { type: email, unique: true, ' + 'required: true }, word: { type: secret } }\n'
      );
    const before = name(at - 1 - ((at * 7) % Math.min(at, 4)));
    const within = at > 2 && at % 4 === 0 ? `within: ${before}\n` : '';
    const owned = at % 3 === 0 ? 'owner: keeper\n' : '';
    const relations = [
      ...(owned === '' ? [] : ['keeper: { to: member }']),
      ...(within === '' ? [`near: { to: ${before} }`] : []),
      ...(at % 5 === 0 ? [`far: { with: ${name((at * 3) % at)} }`] : []),
    ];
    return (
      `model: ${name(at)}\n${within}${owned}fields: { name: { type: string }, size: { ` +
      `type: integer } }\nrelations: { ${relations.join(', ')} }\n`
    );
  });
  return diagramFrom(
    models,
    'service: { name: "Things & <more>" }\nidentity: { model: member, login: email, secret: word }\n',
  );
}

function diagramFrom(models: readonly string[], service: string): ReturnType<typeof diagramOf> {
  const { graph, problems } = compile({
    service: { file: 's', text: service },
    models: models.map((text, at) => ({ file: String(at), text })),
    environment: {},
  });
  expect(problems).toEqual([]);
  return diagramOf(graph!);
}

const touches = ({ x, y, width, height }: PlacedBox, at: Point): boolean =>
  at.x >= x - 1 && at.x <= x + width + 1 && at.y >= y - 1 && at.y <= y + height + 1;

const overlap = (a: PlacedBox, b: PlacedBox): boolean =>
  a.x < b.x + b.width && b.x < a.x + a.width && a.y < b.y + b.height && b.y < a.y + a.height;

/** Whether a line with right angles goes through the inside of a box. */
const crosses = ({ x, y, width, height }: PlacedBox, points: readonly Point[]): boolean =>
  points.slice(1).some((to, at) => {
    const from = points[at]!;
    const [left, right] = [Math.min(from.x, to.x), Math.max(from.x, to.x)];
    const [up, down] = [Math.min(from.y, to.y), Math.max(from.y, to.y)];
    return left < x + width - 1 && right > x + 1 && up < y + height - 1 && down > y + 1;
  });

describe.each([1, 3, 12, 40])('a drawing of %i models', (count) => {
  let laid: Laid;
  test('keeps its boxes apart, its lines out of them, and each line from box to box', async () => {
    laid = await layOut(drawn(count));
    const { boxes, links } = laid;
    expect(boxes).toHaveLength(count);
    expect(boxes.filter((box, at) => boxes.slice(at + 1).some((other) => overlap(box, other)))).toEqual([]);
    const byName = new Map(boxes.map((box) => [box.name, box]));
    for (const { from, to, points } of links) {
      expect(touches(byName.get(from)!, points[0]!)).toBe(true);
      expect(touches(byName.get(to)!, points.at(-1)!)).toBe(true);
      expect(boxes.filter((box) => crosses(box, points)).map(({ name }) => name)).toEqual([]);
    }
  });

  test('has room for every text, and is no wider than it is easy to look at', () => {
    const { boxes, width, height } = laid;
    for (const box of boxes) {
      for (const { name, type } of box.lines)
        expect(textWidth(name) + textWidth(type) + 30).toBeLessThanOrEqual(box.width + 4);
    }
    if (count >= 12) expect(width / height).toBeLessThan(3.2);
  });

  test('is well-formed, with its texts escaped', () => {
    const svg = diagramSvg(laid);
    expect(svg).toContain('>Things &amp; &lt;more&gt;<');
    expect(svg).not.toMatch(/NaN|undefined|Infinity/);
    const open = [...svg.matchAll(/<(\w+)(?: [^>]*[^/>])?>/g)].map(([, tag]) => tag);
    const closed = [...svg.matchAll(/<\/(\w+)>/g)].map(([, tag]) => tag);
    expect(open.sort()).toEqual(closed.sort());
  });
});

test('labels of a model that refers to itself stand clear of every box, and of each other', async () => {
  const relations = ['mother', 'father', 'a_foster_mother', 'twin'].map((name) => `${name}: { to: animal }`);
  const fields = 'may: { read: anybody }\nfields: { name: { type: string } }';
  const animal = `model: animal\n${fields}\nrelations: { ${relations.join(', ')} }\n`;
  const { boxes, links } = await layOut(diagramFrom([animal], 'service: { name: Animals }'));
  const labels = links.map(({ label, labelAt }) => ({
    ...boxes[0]!,
    x: labelAt!.x,
    y: labelAt!.y - 12,
    width: textWidth(label),
    height: 14,
  }));
  expect(labels).toHaveLength(4);
  for (const [at, label] of labels.entries()) {
    expect(boxes.filter((box) => overlap(box, label))).toEqual([]);
    expect(labels.slice(at + 1).filter((other) => overlap(other, label))).toEqual([]);
  }
});
