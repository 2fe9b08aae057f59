import { shortName } from './names.ts';

/** Renames in an order in which no name is taken when it is given; names that change places go by way of a third. */
export function renamesInOrder(pairs: readonly (readonly [string, string])[]): { from: string; to: string }[] {
  const taken = new Set(pairs.map(([from]) => from.toLowerCase()));
  const ordered: { from: string; to: string }[] = [];
  let open = pairs.filter(([from, to]) => from !== to);
  const rename = (from: string, to: string): void => {
    ordered.push({ from, to });
    taken.delete(from.toLowerCase());
    taken.add(to.toLowerCase());
  };
  while (open.length > 0) {
    const free = open.filter(([, to]) => !taken.has(to.toLowerCase()));
    const [next] = free.length > 0 ? free : open;
    const [from, to] = next!;
    open = open.filter((pair) => pair !== next);
    if (free.length > 0) rename(from, to);
    else {
      const aside = shortName(`vantfell_aside_${from}`);
      rename(from, aside);
      open.push([aside, to]);
    }
  }
  return ordered;
}
