import { escaped } from '../../text/markup.ts';
import { FONT, HEAD, LINE, ownerText, PAD, textWidth, typesAt } from './measures.ts';
import type { Laid, PlacedBox, PlacedLink, Point } from './layout.ts';

const MARGIN = 32;
const TOP = 64;
const FOOT = 44;

const STYLE = `
  text { font: ${FONT}px ui-monospace, "DejaVu Sans Mono", Menlo, Consolas, monospace; fill: #24303c }
  .title { font-size: 20px; font-weight: 600 }
  .box { fill: #ffffff; stroke: #8896a5 }
  .head { fill: #e8edf2 }
  .signs-in .head { fill: #d9ead9 }
  .signs-in .box { stroke: #4c8a57; stroke-width: 1.5 }
  .name { font-weight: 600; font-size: 13px }
  .type, .label, .legend text { fill: #66727f }
  .label { paint-order: stroke; stroke: #fbfcfd; stroke-width: 5px; stroke-linejoin: round }
  .optional { fill: #66727f }
  .key { text-decoration: underline }
  .owned { fill: #8a4b12; font-style: italic }
  .link { fill: none; stroke: #66727f; stroke-width: 1.3 }
  .owner { stroke: #b5651d; stroke-width: 1.8 }
  .label.owner-label { fill: #8a4b12 }
  .mark { fill: none; stroke: #66727f; stroke-width: 1.3 }
  .solid { fill: #66727f }
  .owner-mark { stroke: #b5651d }
  .owner-solid { fill: #b5651d; stroke: #b5651d }`;

/** A drawing of the models as SVG 1.1, which needs nothing beside it. */
export function diagramSvg({ title, boxes, links, width, height }: Laid): string {
  const legend = legendParts();
  const [wide, high] = [Math.ceil(Math.max(width, legend.width) + 2 * MARGIN), Math.ceil(height + TOP + FOOT + MARGIN)];
  return [
    `<svg xmlns="http://www.w3.org/2000/svg" width="${wide}" height="${high}" viewBox="0 0 ${wide} ` +
      `${high}" role="img" aria-label="${escaped(title)}: models and their relations">`,
    `<style>${STYLE}\n</style>`,
    `<rect width="100%" height="100%" fill="#fbfcfd"/>`,
    `<text class="title" x="${MARGIN}" y="38">${escaped(title)}</text>`,
    `<g transform="translate(${MARGIN} ${TOP})">`,
    ...links.map(linkPart),
    ...boxes.map(boxPart),
    ...links.map(labelPart),
    '</g>',
    `<g class="legend" transform="translate(${MARGIN} ${high - FOOT})">`,
    ...legend.parts,
    '</g>',
    '</svg>\n',
  ].join('\n');
}

function boxPart(box: PlacedBox): string {
  const { x, y, width, height, name, lines, signsIn } = box;
  const middle = typesAt(box);
  const texts = lines.map(({ name: member, type, mark }, at) => {
    const down = HEAD + LINE * at + 17;
    return (
      `<text x="${PAD}" y="${down}" class="${mark}">${escaped(member)}</text><text ` +
      `class="type" x="${middle}" y="${down}">${escaped(type)}</text>`
    );
  });
  const owner =
    box.owner === undefined
      ? []
      : [`<text class="owned" x="${PAD}" y="${height - 9}">${escaped(ownerText(box))}</text>`];
  return [
    `<g transform="translate(${x} ${y})"${signsIn ? ' class="signs-in"' : ''}>`,
    `<rect class="box" width="${width}" height="${height}" rx="4"/>`,
    `<path class="head" d="M.5 ${HEAD}V4.5a4 4 0 0 1 4-4H${width - 4.5}a4 4 0 0 1 4 4V${HEAD}z"/>`,
    `<text class="name" x="${PAD}" y="17.5">${escaped(name)}</text>`,
    ...texts,
    ...owner,
    '</g>',
  ].join('');
}

function linkPart({ points, kind, owner, single }: PlacedLink): string {
  const [first, second] = points;
  const [last, before] = [points.at(-1), points.at(-2)];
  if (first === undefined || second === undefined || last === undefined || before === undefined) return '';
  const path = `M${points.map(({ x, y }) => `${x} ${y}`).join('L')}`;
  const start = single ? bar(first, second, owner) : fork(first, second, owner);
  const end =
    kind === 'many'
      ? fork(last, before, owner)
      : kind === 'part'
        ? diamond(last, before, owner)
        : bar(last, before, owner);
  return `<path class="link${owner ? ' owner' : ''}" d="${path}"/>${start}${end}`;
}

/** Turns a mark that is drawn along the x axis, away from a box, to where a line leaves the box. */
const turned = (at: Point, towards: Point, mark: string): string => {
  const angle = Math.round((Math.atan2(towards.y - at.y, towards.x - at.x) * 180) / Math.PI);
  return `<g transform="translate(${at.x} ${at.y}) rotate(${angle})">${mark}</g>`;
};

/** Many records. */
const fork = (at: Point, towards: Point, owner: boolean): string =>
  turned(at, towards, `<path class="mark${owner ? ' owner-mark' : ''}" d="M0-5L10 0L0 5"/>`);

/** One record. */
const bar = (at: Point, towards: Point, owner: boolean): string =>
  turned(at, towards, `<path class="mark${owner ? ' owner-mark' : ''}" d="M7-5V5"/>`);

/** The record that has the others as parts. */
const diamond = (at: Point, towards: Point, owner: boolean): string =>
  turned(at, towards, `<path class="mark ${owner ? 'owner-solid' : 'solid'}" d="M0 0L7-4.5L14 0L7 4.5z"/>`);

function labelPart({ label, labelAt, owner }: PlacedLink): string {
  if (label === '' || labelAt === undefined) return '';
  return `<text class="label${owner ? ' owner-label' : ''}" x="${labelAt.x}" y="${labelAt.y}">${escaped(label)}</text>`;
}

/** What the marks mean. */
function legendParts(): { readonly parts: readonly string[]; readonly width: number } {
  const [left, right] = [
    { x: 0, y: 14 },
    { x: 44, y: 14 },
  ];
  const line = (owner: boolean): string => `<path class="link${owner ? ' owner' : ''}" d="M0 14H44"/>`;
  const samples: [string, string][] = [
    [`${line(false)}${fork(left, right, false)}${bar(right, left, false)}`, 'many refer to one'],
    [`${line(false)}${fork(left, right, false)}${diamond(right, left, false)}`, 'parts of one'],
    [`${line(false)}${fork(left, right, false)}${fork(right, left, false)}`, 'many to many'],
    [`${line(true)}${fork(left, right, true)}${bar(right, left, true)}`, 'leads to the owner'],
    ['<rect x="0" y="5" width="44" height="18" rx="4" fill="#d9ead9" stroke="#4c8a57"/>', 'can sign in'],
  ];
  let x = 0;
  const parts = samples.map(([drawn, text]) => {
    const part = `<g transform="translate(${x} 0)">${drawn}<text x="54" y="18">${text}</text></g>`;
    x += 54 + textWidth(text) + 28;
    return part;
  });
  return { parts, width: x };
}
