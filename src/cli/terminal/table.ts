import Table from 'cli-table3';

const NOTHING = '';
const CHARS = {
  top: NOTHING,
  'top-mid': NOTHING,
  'top-left': NOTHING,
  'top-right': NOTHING,
  bottom: NOTHING,
  'bottom-mid': NOTHING,
  'bottom-left': NOTHING,
  'bottom-right': NOTHING,
  left: NOTHING,
  'left-mid': NOTHING,
  mid: NOTHING,
  'mid-mid': NOTHING,
  right: NOTHING,
  'right-mid': NOTHING,
  middle: '  ',
};

/** Aligned columns without lines; cells may be painted. `right` names the columns that are aligned right. */
export function table(rows: readonly (readonly (string | number)[])[], right: readonly number[] = []): string {
  const width = Math.max(0, ...rows.map((row) => row.length));
  const drawn = new Table({
    chars: CHARS,
    style: { 'padding-left': 0, 'padding-right': 0, head: [], border: [] },
    colAligns: Array.from({ length: width }, (_none, column) => (right.includes(column) ? 'right' : 'left')),
  });
  drawn.push(...rows.map((row) => row.map(String)));
  return drawn
    .toString()
    .split('\n')
    .map((line) => line.trimEnd())
    .join('\n');
}
