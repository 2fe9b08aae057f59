import { AsyncLocalStorage } from 'node:async_hooks';
import type { Trace } from '../core/api/message.ts';
import type { Service } from '../core/service.ts';
import type { Store } from '../core/store/contract.ts';
import { isBorder, traced } from '../store/traced.ts';
import type { TracedStatement } from '../store/traced.ts';

/** A request that was answered, and what the store was asked for it. */
export interface Exchange {
  readonly method: string;
  /** The path and the query. */
  readonly target: string;
  readonly status: number;
  readonly milliseconds: number;
  readonly asked: readonly TracedStatement[];
  /** Worked out where it is looked at. */
  readonly trace?: Trace | undefined;
}

export const statementsOf = ({ asked }: Pick<Exchange, 'asked'>): TracedStatement[] =>
  asked.filter((one) => !isBorder(one));

/** A store that records the statements of each request. */
export interface Observed {
  readonly store: Store;
  /** The same service, over that store, telling of every answer. */
  around(service: Service, tell: (exchange: Exchange) => void): Service;
}

/** `also` is told of every statement at once, whether it is of a request or not. */
export function observed(store: Store, also?: (asked: TracedStatement) => void): Observed {
  const underWay = new AsyncLocalStorage<TracedStatement[]>();
  return {
    store: traced(store, (asked) => {
      underWay.getStore()?.push(asked);
      also?.(asked);
    }),
    around: (service, tell) => ({
      ...service,
      async handle(request) {
        const begun = performance.now();
        const asked: TracedStatement[] = [];
        const reply = await underWay.run(asked, () => service.handle(request));
        const { method, target } = request;
        const milliseconds = performance.now() - begun;
        tell({
          method,
          target,
          status: reply.status,
          milliseconds,
          asked,
          get trace() {
            return request.trace;
          },
        });
        return reply;
      },
      refuse(problem, request) {
        const reply = service.refuse(problem, request);
        tell({ method: '-', target: request.target, status: reply.status, milliseconds: 0, asked: [] });
        return reply;
      },
    }),
  };
}
