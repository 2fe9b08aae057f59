import { setTimeout } from 'node:timers/promises';
import { HttpProblem } from '../../core/http/problems.ts';
import type { Service } from '../../core/service.ts';

/** How a service is to be worse than it is, for those who build what asks it. */
export interface Hindrance {
  /** Milliseconds that every answer waits before it is made. */
  readonly slow: number;
  /** The share of requests that fail, from 0 to 1. */
  readonly fail: number;
}

/** The same service, slow and failing as asked. A request that fails is not even read, so that it changes nothing. */
export function hindered(service: Service, { slow, fail }: Hindrance): Service {
  if (slow === 0 && fail === 0) return service;
  return {
    ...service,
    async handle(request) {
      if (slow > 0) await setTimeout(slow);
      if (Math.random() >= fail) return service.handle(request);
      const detail = 'this failure was asked for, by serve --fail';
      return service.refuse(new HttpProblem('store-unavailable', detail, { headers: { 'retry-after': '1' } }), request.target); // prettier-ignore
    },
  };
}
