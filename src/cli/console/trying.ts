import { spawn } from 'node:child_process';
import type { ChildProcess } from 'node:child_process';
import { Refusal } from '../../server/console/console.ts';

/** How far a trial is that the page has started. */
export interface TrialState {
  readonly isRunning: boolean;
  /** Milliseconds since it began, or that it took. */
  readonly milliseconds: number;
  readonly only: string;
  /** What `trial --json` tells; null before it has ended, and where it told nothing. */
  readonly result: unknown;
  /** What it said beside, where it told nothing. */
  readonly said: string;
}

/** The trial of a project, in a process of its own: what is served goes on meanwhile. */
export interface Trying {
  start(only: string): TrialState;
  /** Null where none was started. */
  state(): TrialState | null;
  stop(): void;
}

const LONGEST_ONLY = 200;
const MOST_SAID = 2_000;

export function trying(folder: string): Trying {
  let child: ChildProcess | undefined;
  let latest: (() => TrialState) | undefined;
  return {
    start(only) {
      if (child !== undefined) throw new Refusal('a trial runs already: wait until it has ended');
      if (only.length > LONGEST_ONLY) throw new Refusal('the text that titles are to have is too long');
      const chosen = only === '' ? [] : ['--only', only];
      const own = spawn(process.execPath, [process.argv[1]!, 'trial', '--json', '-C', folder, ...chosen], {
        stdio: ['ignore', 'pipe', 'pipe'],
      });
      child = own;
      const begun = performance.now();
      let [out, said, ended] = ['', '', 0];
      own.stdout.on('data', (chunk: Buffer) => (out += chunk.toString()));
      own.stderr.on('data', (chunk: Buffer) => (said = (said + chunk.toString()).slice(-MOST_SAID)));
      const end = (): void => {
        ended ||= performance.now();
        if (child === own) child = undefined;
      };
      own.on('error', end).on('close', end);
      latest = () => ({
        isRunning: child === own,
        milliseconds: Math.round((ended || performance.now()) - begun),
        only,
        result: child === own ? null : told(out),
        said,
      });
      return latest();
    },
    state: () => latest?.() ?? null,
    stop: () => void child?.kill(),
  };
}

function told(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return null;
  }
}
