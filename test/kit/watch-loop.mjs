// Loaded into a program before its own code: tells over the channel of its parent how long the event loop was kept
// busy, and how fast the machine is just then.
import { monitorEventLoopDelay } from 'node:perf_hooks';

const RESOLUTION_MS = 1;
const TEXT = Buffer.from(JSON.stringify(Array.from({ length: 20_000 }, (_one, at) => `é𝒳 ${at}`)));
const delays = monitorEventLoopDelay({ resolution: RESOLUTION_MS });
delays.enable();
process.on('message', (what) => {
  if (what === 'begin') delays.reset();
  // The next timer has come: whatever kept the loop has been counted.
  setTimeout(() => {
    const milliseconds = delays.max / 1e6;
    process.send({ what, milliseconds, pace: what === 'end' ? pace() : 0 });
  }, 3 * RESOLUTION_MS);
});

/** Milliseconds that a piece of work takes which is always the same, at its quickest of a few times. */
function pace() {
  const times = Array.from({ length: 3 }, () => {
    const began = performance.now();
    for (let at = 0; at < 4; at += 1) JSON.parse(TEXT.toString());
    return performance.now() - began;
  });
  return Math.min(...times);
}
process.channel?.unref();
