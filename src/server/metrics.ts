import { collectDefaultMetrics, Counter, Gauge, Registry } from 'prom-client';
import type { Reply } from '../core/api/message.ts';
import { COMMON_HEADERS } from '../core/api/message.ts';
import type { Service } from '../core/service.ts';
import type { Statement } from '../core/sql/statement.ts';
import { BORDERS } from '../store/traced.ts';
import type { TracedStatement } from '../store/traced.ts';
import { methodName, operationName, OTHER } from './conventions.ts';
import { makeDurations } from './durations.ts';
import type { Durations, Series } from './durations.ts';
import type { Measured } from './workers/messages.ts';

export const METRICS_PATH = '/metrics';

/**
 * What is counted and timed while a service runs, for those who scrape it. Names are those of the OpenTelemetry
 * semantic conventions where there are some, as OpenMetrics writes them. No label has a value that a client chooses.
 */
export interface Metrics {
  /** The same service, with every request counted. */
  around(service: Service): Service;
  /** Counts a statement that was put to the store. */
  statement(asked: TracedStatement): void;
  /** All that this process has counted. */
  measured(): Promise<Measured>;
  /** The same as a page of OpenMetrics. */
  text(): Promise<string>;
}

/** A page of metrics as an answer. */
export const metricsReply = (body: string): Reply => ({
  status: 200,
  headers: { ...COMMON_HEADERS, 'content-type': Registry.OPENMETRICS_CONTENT_TYPE, 'cache-control': 'no-store' },
  body,
});

const OPERATIONS: ReadonlySet<string> = new Set(['SELECT', 'INSERT', 'UPDATE', 'DELETE', 'COMMIT', 'ROLLBACK']);
const PROBLEM = /"type":"\/problems\/([a-z-]+)"/;

/** `worker` is the number of this process among several: each counts by itself, and starts anew when it does. */
export function makeMetrics(version: string, worker?: number): Metrics {
  const registry = new Registry();
  registry.setContentType(Registry.OPENMETRICS_CONTENT_TYPE as never);
  if (worker !== undefined) registry.setDefaultLabels({ worker: String(worker) });
  const registers = [registry];
  collectDefaultMetrics({ register: registry });
  new Gauge({ name: 'vantfell_build', help: 'What runs: always 1.', labelNames: ['version', 'node'], registers })
    .labels(version, process.version)
    .set(1);
  const open = new Gauge({ name: 'http_server_active_requests', help: 'Requests that are being answered.', registers });
  const requests = makeDurations(
    registry,
    'http_server_request_duration_seconds',
    'How long requests took, by endpoint, method and status.',
  );
  const problems = new Counter({
    name: 'vantfell_refused_requests_total',
    help: 'Requests that were answered with a problem, by its name.',
    labelNames: ['problem'],
    registers,
  });
  const statements = makeDurations(
    registry,
    'db_client_operation_duration_seconds',
    'How long statements took, by their first word.',
  );
  const waits = makeDurations(
    registry,
    'db_client_connection_wait_time_seconds',
    'How long transactions waited for a connection, or for their turn to write, before they began.',
  ).series({});
  const [ofRequest, ofStatement] = [requestSeries(requests), statementSeries(statements, waits)];

  const refused = ({ status, body }: Reply): void => {
    const problem = status < 400 ? undefined : PROBLEM.exec(body?.slice(0, 100) ?? '')?.[1];
    if (problem !== undefined) problems.labels(problem).inc();
  };

  return {
    around(service) {
      return {
        ...service,
        async handle(request) {
          const { method, target } = request;
          const begun = performance.now();
          open.inc();
          const reply = await service.handle(request);
          open.dec();
          refused(reply);
          const [route, called] = [service.routeOf(target), methodName(method)];
          ofRequest(route, called, reply.status).observe(performance.now() - begun);
          return reply;
        },
        refuse(problem, request) {
          const reply = service.refuse(problem, request);
          refused(reply);
          return reply;
        },
      };
    },
    statement: ({ statement, milliseconds }) => ofStatement(statement).observe(milliseconds),
    measured: async () => (await registry.getMetricsAsJSON()).map(asOneOfSeveral),
    text: () => registry.metrics(),
  };
}

/** Workers have labels of their own: nothing is added up or left out. The end of a counter's name comes later. */
const asOneOfSeveral = (one: Measured[number]): Measured[number] => ({
  ...one,
  name: one.name.replace(/_total$/, (end) => (String(one.type) === 'counter' ? '' : end)),
  aggregator: 'sum',
});

function requestSeries(requests: Durations): (route: string, method: string, status: number) => Series {
  const known = new Map<string, Series>();
  return (route, method, status) => {
    const key = `${method} ${status} ${route}`;
    let series = known.get(key);
    if (series === undefined) {
      const labels = { http_route: route, http_request_method: method, http_response_status_code: String(status) };
      known.set(key, (series = requests.series(labels)));
    }
    return series;
  };
}

/** Statements by their first word; what begins a transaction takes as long as it waits. */
function statementSeries(statements: Durations, waits: Series): (statement: Statement) => Series {
  const byWord = new Map<string, Series>();
  const known = new WeakMap<Statement, Series>([[BORDERS.begin, waits]]);
  return (statement) => {
    let series = known.get(statement);
    if (series !== undefined) return series;
    const word = operationName(statement);
    const name = OPERATIONS.has(word) ? word : OTHER;
    series = byWord.get(name) ?? statements.series({ db_operation_name: name });
    byWord.set(name, series);
    known.set(statement, series);
    return series;
  };
}
