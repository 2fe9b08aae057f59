// Loaded into a program before its own code: tells over the channel of its parent how long the event loop was kept
// busy.
import { monitorEventLoopDelay } from 'node:perf_hooks';

const RESOLUTION_MS = 1;
const delays = monitorEventLoopDelay({ resolution: RESOLUTION_MS });
delays.enable();
process.on('message', (what) => {
  if (what === 'begin') delays.reset();
  // The next timer has come: whatever kept the loop has been counted.
  setTimeout(() => process.send({ what, milliseconds: delays.max / 1e6 }), 3 * RESOLUTION_MS);
});
process.channel?.unref();
