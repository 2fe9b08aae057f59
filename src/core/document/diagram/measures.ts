import type { Box } from './parts.ts';

/** Pixels. Texts are in a font of one width, so that what they need is known without one. */
export const FONT = 12;
export const LINE = 18;
export const HEAD = 26;
export const PAD = 10;
const LETTER = 0.602 * FONT;
const LEAST_WIDTH = 120;

export const textWidth = (text: string): number => text.length * LETTER;

/** The distance of a box's types from its left edge. */
export const typesAt = ({ lines }: Box): number => PAD + Math.max(0, ...lines.map(({ name }) => textWidth(name))) + 14;

export function sizeOf(box: Box): { readonly width: number; readonly height: number } {
  const types = Math.max(0, ...box.lines.map(({ type }) => textWidth(type)));
  const texts = [textWidth(box.name) * 1.1 + 2 * PAD, textWidth(ownerText(box)) + 2 * PAD];
  const width = Math.max(LEAST_WIDTH, typesAt(box) + types + PAD, ...texts);
  const foot = box.owner === undefined ? 0 : LINE + 4;
  return { width: Math.ceil(width), height: HEAD + box.lines.length * LINE + foot + 8 };
}

export const ownerText = ({ owner }: Box): string => (owner === undefined ? '' : `owner: ${owner}`);
