import type { Reply, Request, Trace } from '../api/message.ts';
import { HttpProblem, LATER, problemTypes } from '../api/problems.ts';
import { StoreError } from '../store/contract.ts';
import { problemReply } from './problem-reply.ts';

/** Where defects are reported, each with its own number. */
export interface Failures {
  uuid(): string;
  report(error: unknown, request: string, trace?: Trace): void;
}

/** The answer to a request that failed; a defect is reported, under the number that the client is given. */
export function failureReply(
  { uuid, report }: Failures,
  error: unknown,
  path: string,
  asked: Pick<Request, 'signal' | 'trace'> = {},
): Reply {
  const request = uuid();
  const problem = error instanceof HttpProblem ? error : problemOf(error);
  // A request whose client has disconnected is no defect.
  if (problemTypes[problem.problem].status >= 500 && asked.signal?.aborted !== true) {
    report(error, request, asked.trace);
  }
  return problemReply(problem, path, request);
}

/** The problem for an error that was not made for clients. */
function problemOf(error: unknown): HttpProblem {
  switch (error instanceof StoreError ? error.fault.kind : undefined) {
    case 'busy':
    case 'unreachable':
      return new HttpProblem('store-unavailable', undefined, { headers: LATER });
    case 'moved':
      return new HttpProblem(
        'store-unavailable',
        'a migration has changed the tables: this service has to start again',
        { headers: LATER },
      );
    case 'uncertain': {
      const detail =
        'the connection was lost at the very end: the write may have been kept; read ' +
        'before you repeat it, or repeat it with its Idempotency-Key';
      return new HttpProblem('outcome-unknown', detail, { headers: LATER });
    }
    case 'crowded':
      return new HttpProblem('too-busy', undefined, { headers: LATER });
    case 'too-slow':
      return new HttpProblem('time-ran-out', undefined, { headers: LATER });
    case 'too-complex':
      return new HttpProblem('invalid-parameter', 'this database can not read so deep a request: include or name less');
    case 'too-large':
      return new HttpProblem(
        'store-unavailable',
        'this is more than the database takes or gives at once: ask for less',
      );
    default:
      return new HttpProblem('inner-defect');
  }
}
