import elk from 'elkjs/lib/elk.bundled.js';
import type { ElkExtendedEdge, ElkLabel, ElkNode } from 'elkjs/lib/elk.bundled.js';
import type { Box, Diagram, Link } from './parts.ts';
import { LINE, sizeOf, textWidth } from './measures.ts';

export interface Point {
  readonly x: number;
  readonly y: number;
}

export interface PlacedBox extends Box, Point {
  readonly width: number;
  readonly height: number;
}

export interface PlacedLink extends Link {
  /** The corners of its line, from the one box to the other. */
  readonly points: readonly Point[];
  /** Where the text of its label begins. */
  readonly labelAt: Point | undefined;
}

/** A diagram whose every part has its place, in pixels from the upper left corner. */
export interface Laid {
  readonly title: string;
  readonly width: number;
  readonly height: number;
  readonly boxes: readonly PlacedBox[];
  readonly links: readonly PlacedLink[];
}

/** Referenced models are on the right; lines have right angles and avoid boxes. */
const OPTIONS = {
  'elk.algorithm': 'layered',
  'elk.direction': 'RIGHT',
  'elk.edgeRouting': 'ORTHOGONAL',
  'elk.spacing.nodeNode': '28',
  'elk.spacing.edgeNode': '16',
  'elk.spacing.edgeEdge': '12',
  'elk.spacing.componentComponent': '36',
  'elk.layered.spacing.nodeNodeBetweenLayers': '56',
  'elk.layered.spacing.edgeNodeBetweenLayers': '20',
  'elk.layered.spacing.edgeEdgeBetweenLayers': '12',
  'elk.layered.nodePlacement.strategy': 'NETWORK_SIMPLEX',
  'elk.layered.nodePlacement.favorStraightEdges': 'true',
  'elk.layered.crossingMinimization.strategy': 'LAYER_SWEEP',
  'elk.layered.thoroughness': '20',
  'elk.edgeLabels.inline': 'false',
  'elk.aspectRatio': '1.6',
  // A long chain of models goes on below, like a text.
  'elk.layered.wrapping.strategy': 'MULTI_EDGE',
  // The same models make the same drawing.
  'elk.randomSeed': '1',
};

/** Room for a label where its line begins: in the middle, it would keep a long chain from going on below. */
const labelOf = (text: string): ElkLabel => ({
  text,
  width: textWidth(text) + 6,
  height: LINE,
  layoutOptions: { 'elk.edgeLabels.placement': 'TAIL' },
});

/** Below a line, where it leaves the box that refers. */
const belowStart = ([start]: readonly Point[]): Point | undefined => start && { x: start.x + 5, y: start.y + 16 };

/** Of a model that refers to itself: above the line, where room was made for it. */
const aboveLine = (label: ElkLabel | undefined): Point | undefined =>
  label && { x: (label.x ?? 0) + 3, y: (label.y ?? 0) + LINE - 5 };

export async function layOut({ title, boxes, links }: Diagram): Promise<Laid> {
  const wanted: ElkNode = {
    id: 'all',
    layoutOptions: OPTIONS,
    children: boxes.map((box): ElkNode => ({ id: box.name, ...sizeOf(box) })),
    edges: links.map((link, at): ElkExtendedEdge => ({
      id: String(at),
      sources: [link.from],
      targets: [link.to],
      labels: link.label === '' ? [] : [labelOf(link.label)],
    })),
  };
  const graph: ElkNode = await new elk.default().layout(wanted);
  const placed = new Map((graph.children ?? []).map((node) => [node.id, node]));
  const lines = new Map((graph.edges ?? []).map((edge) => [edge.id, edge]));
  return {
    title,
    width: graph.width ?? 0,
    height: graph.height ?? 0,
    boxes: boxes.map((box) => {
      const { x = 0, y = 0, width = 0, height = 0 } = placed.get(box.name)!;
      return { ...box, x, y, width, height };
    }),
    links: links.map((link, at) => {
      const { sections: [section] = [], labels: [label] = [] } = lines.get(String(at))!;
      const points = section === undefined ? [] : [section.startPoint, ...(section.bendPoints ?? []), section.endPoint];
      return { ...link, points, labelAt: link.from === link.to ? aboveLine(label) : belowStart(points) };
    }),
  };
}
