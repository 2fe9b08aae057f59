import type { Service } from '../../core/service.ts';
import type { Store } from '../../core/store/contract.ts';
import type { LoadedProject } from '../load-project.ts';

/** A running service and its store. */
export interface Running {
  readonly project: LoadedProject;
  readonly service: Service;
  readonly store: Store;
  /** What its instances have in common beside it. */
  readonly redis?: { close(): void } | undefined;
}

/** What a server is given, where one service may take the place of another while it runs. */
export interface Changing {
  readonly service: Pick<Service, 'handle' | 'refuse'>;
  /** The one that answers now. */
  current(): Running;
  /** Another answers from now on; resolves when the one before has finished its requests, and its store is closed. */
  replace(next: Running): Promise<void>;
  /** Waits for what is under way, and closes the store. */
  close(): Promise<void>;
}

/** `settled` waits for what else is done on the store of a service that ends. */
export function changing(first: Running, settled: (of: Running) => Promise<void>): Changing {
  let current = { of: first, open: 0, idle: (): void => undefined };

  async function finish(ending: typeof current): Promise<void> {
    if (ending.open > 0) await new Promise<void>((resolve) => (ending.idle = resolve));
    const { service, store, redis } = ending.of;
    await Promise.all([service.settled(), settled(ending.of)]);
    await store.close();
    redis?.close();
  }

  return {
    service: {
      async handle(request) {
        const own = current;
        own.open += 1;
        const reply = await own.of.service.handle(request);
        own.open -= 1;
        if (own.open === 0) own.idle();
        return reply;
      },
      refuse: (problem, request) => current.of.service.refuse(problem, request),
    },
    current: () => current.of,
    replace(next) {
      const before = current;
      current = { of: next, open: 0, idle: () => undefined };
      return finish(before);
    },
    close: () => finish(current),
  };
}
