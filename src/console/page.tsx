import { render } from 'preact';
import type { JSX } from 'preact';
import { AccessRoom } from './access.tsx';
import { MapRoom } from './map.tsx';
import { Rail } from './rail.tsx';
import { RecordPanel } from './record.tsx';
import { RequestRoom } from './request.tsx';
import { followNews, Problems } from './news.tsx';
import { eyes, isTrailOpen, open, reload, room } from './state.ts';
import { Records } from './table.tsx';
import { hueOf, Notes, Top } from './top.tsx';
import { TrailPanel } from './trail-panel.tsx';
import { TrialsRoom } from './trials.tsx';

const ROOMS = {
  records: Records,
  map: MapRoom,
  access: AccessRoom,
  request: RequestRoom,
  trials: TrialsRoom,
} as const;

function Page(): JSX.Element {
  const Room = ROOMS[room.value];
  return (
    <div
      class={`page ${open.value === undefined ? '' : 'has-record'} ${isTrailOpen.value ? '' : 'has-shut-trail'}`}
      data-hue={hueOf(eyes.value)}
    >
      <Top />
      <Rail />
      <main>
        <Problems />
        <Notes />
        <Room key={room.value} />
      </main>
      <RecordPanel />
      <TrailPanel />
    </div>
  );
}

render(<Page />, document.body);
void reload().then(followNews);
