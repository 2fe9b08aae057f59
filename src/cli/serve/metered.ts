import { HttpProblem } from '../../core/api/problems.ts';
import type { Service } from '../../core/service.ts';
import { METRICS_PATH } from '../../server/metrics.ts';
import type { Metrics } from '../../server/metrics.ts';

type Answering = Pick<Service, 'handle' | 'refuse'>;

/** A service with its metrics at a path of their own. */
export function withMetrics(service: Answering, metrics: Metrics): Answering {
  return {
    async handle(request) {
      if (request.target !== METRICS_PATH) return service.handle(request);
      if (request.method === 'GET' || request.method === 'HEAD') return metrics.page();
      const allow = 'GET, HEAD';
      const detail = `${METRICS_PATH} takes ${allow}`;
      return service.refuse(new HttpProblem('method-not-allowed', detail, { headers: { allow } }), request);
    },
    refuse: (problem, request) => service.refuse(problem, request),
  };
}

/** The metrics alone, for a port of their own. */
export const metricsAlone = ({ refuse }: Answering, metrics: Metrics): Answering =>
  withMetrics(
    {
      handle: (request) =>
        Promise.resolve(refuse(new HttpProblem('unknown-path', `the metrics are at ${METRICS_PATH}`), request)),
      refuse,
    },
    metrics,
  );
