import pc from 'picocolors';

export interface TerminalOptions {
  readonly json: boolean;
  readonly quiet: boolean;
  /** False on the user's request; only terminals get colour. */
  readonly color: boolean;
}

/** Where a command speaks: results go to standard output, talk to standard error. */
export interface Terminal {
  /** Colours for results. */
  readonly paint: ReturnType<typeof pc.createColors>;
  /** Colours for talk. */
  readonly tint: ReturnType<typeof pc.createColors>;
  /** A result as text; nothing with `--json`. */
  show(text: string): void;
  /** The one JSON value of `--json`; nothing otherwise. */
  value(value: unknown): void;
  /** Talk: what goes on, and what was done. */
  say(text: string): void;
  /** An error, shown even with `--quiet`. */
  warn(text: string): void;
  /** A line that the next one takes the place of; nothing where standard error is no terminal. */
  progress(text: string): void;
}

export function makeTerminal({ json, quiet, color }: TerminalOptions): Terminal {
  const wanted = color && process.env.NO_COLOR === undefined;
  let drawn = false;
  const clear = (): string => {
    const erase = drawn ? '\r\u001b[K' : '';
    drawn = false;
    return erase;
  };
  return {
    paint: pc.createColors(wanted && process.stdout.isTTY),
    tint: pc.createColors(wanted && process.stderr.isTTY),
    show: (text) => void (json || process.stdout.write(`${text}\n`)),
    value: (value) => void (json && process.stdout.write(`${JSON.stringify(value, null, 2)}\n`)),
    say: (text) => void (quiet || process.stderr.write(`${clear()}${text}\n`)),
    warn: (text) => void process.stderr.write(`${clear()}${text}\n`),
    progress(text) {
      if (quiet || !process.stderr.isTTY) return;
      process.stderr.write(`${clear()}${text}`);
      drawn = text !== '';
    },
  };
}

/** `1 model`, `3 models`: a count with its noun. */
export const counted = (count: number, noun: string): string => `${count} ${noun}${count === 1 ? '' : 's'}`;

/** `1 204 000`: a number that is easy to read. */
export const grouped = (count: number): string => String(count).replace(/\B(?=(\d{3})+$)/g, '\u202f');
