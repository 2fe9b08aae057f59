// The models and their relations, drawn; each leads to its records.
import { useSignal } from '@preact/signals';
import type { JSX } from 'preact';
import { useEffect } from 'preact/hooks';
import { goTo, guarded, modelName, room } from './state.ts';
import { call } from './wire.ts';
import type { Drawn } from './wire.ts';

export function MapRoom(): JSX.Element {
  const drawn = useSignal<Drawn | undefined>(undefined);
  const lit = useSignal('');
  const isWhole = useSignal(false);
  useEffect(() => {
    void guarded(async () => {
      drawn.value = await call<Drawn>('map');
    });
  }, []);
  if (drawn.value === undefined) return <p class="empty">Drawing …</p>;
  const { boxes, links, width, height, head, line, pad } = drawn.value;
  const visit = (name: string): void => {
    room.value = 'records';
    goTo(name);
  };
  return (
    <section class="map scroll" aria-label="Map of the models" tabIndex={0}>
      <button type="button" aria-pressed={isWhole.value} onClick={() => (isWhole.value = !isWhole.value)}>
        {isWhole.value ? 'Full size' : 'The whole map'}
      </button>
      <svg
        class={isWhole.value ? 'whole' : undefined}
        width={width + 40}
        height={height + 40}
        viewBox={`-20 -20 ${width + 40} ${height + 40}`}
      >
        {links.map((link, at) => (
          <polyline
            key={at}
            class={`link ${link.owner ? 'is-owner' : ''} ${isLit(lit.value, link) ? 'is-lit' : ''}`}
            points={link.points.map(({ x, y }) => `${x},${y}`).join(' ')}
          >
            <title>{`${link.from} → ${link.to}: ${link.label}`}</title>
          </polyline>
        ))}
        {boxes.map((box) => (
          <g
            key={box.name}
            class={`box ${box.signsIn ? 'signs-in' : ''} ${modelName.value === box.name ? 'is-here' : ''}`}
            transform={`translate(${box.x} ${box.y})`}
            role="link"
            tabIndex={0}
            onClick={() => visit(box.name)}
            onKeyDown={(event) => {
              if (event.key === 'Enter') visit(box.name);
            }}
            onMouseEnter={() => (lit.value = box.name)}
            onMouseLeave={() => (lit.value = '')}
            onFocus={() => (lit.value = box.name)}
            onBlur={() => (lit.value = '')}
          >
            <rect width={box.width} height={box.height} rx="3" />
            <path class="head" d={`M0 ${head}V3a3 3 0 0 1 3-3H${box.width - 3}a3 3 0 0 1 3 3V${head}z`} />
            <text class="name" x={pad} y="18">
              {box.name}
            </text>
            {box.lines.map(({ name, type }, at) => (
              <g key={name}>
                <text x={pad} y={head + line * at + 16}>
                  {name}
                </text>
                <text class="type" x={box.width - pad} y={head + line * at + 16} text-anchor="end">
                  {type}
                </text>
              </g>
            ))}
            {box.owner === undefined ? null : (
              <text class="owner" x={pad} y={box.height - 8}>
                owner: {box.owner}
              </text>
            )}
          </g>
        ))}
      </svg>
    </section>
  );
}

const isLit = (name: string, { from, to }: { from: string; to: string }): boolean =>
  name !== '' && (name === from || name === to);
