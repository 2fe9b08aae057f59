import { randomUUID } from 'node:crypto';
import { HttpProblem } from '../../core/api/problems.ts';
import { problemReply } from '../../core/http/problem-reply.ts';
import type { Service } from '../../core/service.ts';
import { METRICS_PATH, metricsReply } from '../../server/metrics.ts';

type Answering = Pick<Service, 'handle' | 'refuse'>;

/** A service with its metrics at a path of their own. */
export function withMetrics(service: Answering, page: () => Promise<string>): Answering {
  return {
    async handle(request) {
      if (request.target !== METRICS_PATH) return service.handle(request);
      if (request.method === 'GET' || request.method === 'HEAD') return metricsReply(await page());
      const allow = 'GET, HEAD';
      const detail = `${METRICS_PATH} takes ${allow}`;
      return service.refuse(new HttpProblem('method-not-allowed', detail, { headers: { allow } }), request);
    },
    refuse: (problem, request) => service.refuse(problem, request),
  };
}

/** The metrics alone, for a port of their own. */
export const metricsAlone = (page: () => Promise<string>): Answering => {
  const refuse: Service['refuse'] = (problem, { target }) => problemReply(problem, target.split('?')[0]!, randomUUID());
  return withMetrics(
    {
      handle: (request) =>
        Promise.resolve(refuse(new HttpProblem('unknown-path', `the metrics are at ${METRICS_PATH}`), request)),
      refuse,
    },
    page,
  );
};
