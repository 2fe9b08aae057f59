import type { InjectedFaults } from './fault-injection.ts';

/** The options of `serve`, read. */
export interface Asked {
  /** Whether there is to be a page to look at it, where only this machine is served. */
  readonly console: boolean;
  readonly port: number;
  readonly host: string;
  readonly watch: boolean;
  readonly trace: boolean;
  readonly faults: InjectedFaults;
  /** Milliseconds for which it goes on after a signal to stop, while it says that it is not ready. */
  readonly drain: number;
}
