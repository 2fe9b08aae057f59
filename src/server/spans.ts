import {
  context,
  propagation,
  ProxyTracerProvider,
  ROOT_CONTEXT,
  SpanKind,
  SpanStatusCode,
  trace,
} from '@opentelemetry/api';
import type { Attributes, Span, Tracer } from '@opentelemetry/api';
import type { Reply, Request } from '../core/api/message.ts';
import type { Code } from '../core/change/code.ts';
import type { Hook, HookName } from '../core/change/hooks.ts';
import type { Service } from '../core/service.ts';
import { isBorder } from '../store/traced.ts';
import type { TracedStatement } from '../store/traced.ts';
import { methodName, operationName } from './conventions.ts';

/** Spans of requests, statements and the project's code, by the OpenTelemetry semantic conventions. */
export interface Spans {
  /** The same service, with a span around every request. */
  around(service: Service): Service;
  /** The same code, with a span around each of its calls. */
  ofCode(code: Code): Code;
  /** A span of a statement that has ended just now. */
  statement(asked: TracedStatement): void;
}

/** What the conventions call the databases. */
const SYSTEMS: ReadonlyMap<string, string> = new Map([['postgres', 'postgresql']]);

/** Undefined where no SDK is loaded that would take them: then nothing is done for them. */
export function makeSpans(version: string, kind: string): Spans | undefined {
  const provider = trace.getTracerProvider();
  const isListening =
    !(provider instanceof ProxyTracerProvider) || provider.getDelegateTracer('vantfell') !== undefined;
  if (!isListening) return undefined;
  const tracer = trace.getTracer('vantfell', version);
  const system = SYSTEMS.get(kind) ?? kind;
  return {
    around: (service) => ({ ...service, handle: (request) => handled(tracer, service, request) }),

    ofCode: ({ hooks, operations, send }) => ({
      send,
      hooks: new Map([...hooks].map(([model, handlers]) => [model, hooksWithSpans(tracer, model, handlers)])),
      operations: new Map(
        [...operations].map(([name, code]) => [
          name,
          (...given: Parameters<typeof code>) => within(tracer, `operation ${name}`, {}, () => code(...given)),
        ]),
      ),
    }),

    statement(asked) {
      if (isBorder(asked)) return;
      const { statement, milliseconds, rows } = asked;
      const word = operationName(statement);
      const span = tracer.startSpan(word, {
        kind: SpanKind.CLIENT,
        startTime: Date.now() - milliseconds,
        attributes: {
          'db.system.name': system,
          'db.operation.name': word,
          // What clients send is bound to it, and stays out.
          'db.query.text': statement.sql,
          ...(rows === undefined ? {} : { 'db.response.returned_rows': rows }),
        },
      });
      if (rows === undefined) span.setStatus({ code: SpanStatusCode.ERROR });
      span.end();
    },
  };
}

async function handled(tracer: Tracer, service: Service, request: Request): Promise<Reply> {
  const method = methodName(request.method);
  const route = service.routeOf(request.target);
  const before = propagation.extract(ROOT_CONTEXT, request.headers);
  const span = tracer.startSpan(
    route === '' ? method : `${method} ${route}`,
    {
      kind: SpanKind.SERVER,
      attributes: {
        'http.request.method': method,
        'url.path': request.target.split('?', 1)[0]!,
        ...(route === '' ? {} : { 'http.route': route }),
      },
    },
    before,
  );
  return context.with(trace.setSpan(before, span), async () => {
    // From here on it is the SDK's trace that logs and hooks are told of.
    void request.trace;
    const reply = await service.handle(request);
    span.setAttribute('http.response.status_code', reply.status);
    if (reply.status >= 500) span.setStatus({ code: SpanStatusCode.ERROR });
    span.end();
    return reply;
  });
}

function hooksWithSpans(
  tracer: Tracer,
  model: string,
  handlers: Readonly<Partial<Record<HookName, Hook>>>,
): Readonly<Partial<Record<HookName, Hook>>> {
  return Object.fromEntries(
    Object.entries(handlers).map(([name, hook]) => [
      name,
      (...given: Parameters<Hook>) =>
        within(tracer, `${name} ${model}`, { 'code.function.name': name }, () => hook(...given)),
    ]),
  );
}

/** Does some work inside of a span of its own. */
function within<Result>(tracer: Tracer, name: string, attributes: Attributes, work: () => Result): Result {
  return tracer.startActiveSpan(name, { attributes }, (span) => {
    let result: Result;
    try {
      result = work();
    } catch (error) {
      endFailed(span, error);
      throw error;
    }
    if (!(result instanceof Promise)) {
      span.end();
      return result;
    }
    return result.then(
      (value: unknown) => (span.end(), value),
      (error: unknown) => {
        endFailed(span, error);
        throw error;
      },
    ) as Result;
  });
}

function endFailed(span: Span, error: unknown): void {
  span.recordException(error instanceof Error ? error : String(error));
  span.setStatus({ code: SpanStatusCode.ERROR });
  span.end();
}
