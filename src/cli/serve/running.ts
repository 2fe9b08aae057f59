import type { Service } from '../../core/service.ts';
import type { Store } from '../../core/store/contract.ts';

/** A running service and its store. */
export interface Running {
  readonly service: Service;
  readonly store: Store;
  /** What its instances have in common beside it. */
  readonly redis?: { close(): void } | undefined;
}

/** What a server is given, where one service may take the place of another while it runs. */
export interface Changing {
  readonly service: Pick<Service, 'handle' | 'refuse'>;
  /** Another answers from now on; resolves when the one before has finished its requests, and its store is closed. */
  replace(next: Running): Promise<void>;
  /** Waits for what is under way, and closes the store. */
  close(): Promise<void>;
}

export function changing(first: Running): Changing {
  let current = { ...first, open: 0, idle: (): void => undefined };

  async function finish(ending: typeof current): Promise<void> {
    if (ending.open > 0) await new Promise<void>((resolve) => (ending.idle = resolve));
    await ending.service.writes.settled();
    await ending.store.close();
    ending.redis?.close();
  }

  return {
    service: {
      async handle(request) {
        const own = current;
        own.open += 1;
        const reply = await own.service.handle(request);
        own.open -= 1;
        if (own.open === 0) own.idle();
        return reply;
      },
      refuse: (problem, request) => current.service.refuse(problem, request),
    },
    replace(next) {
      const before = current;
      current = { ...next, open: 0, idle: () => undefined };
      return finish(before);
    },
    close: () => finish(current),
  };
}
