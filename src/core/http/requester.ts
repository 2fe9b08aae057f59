import type { Principal } from '../access/principal.ts';
import type { Request } from '../api/message.ts';
import type { Requester } from '../store/contract.ts';

/** The sender of a request. A class, because there is one for each request, and few ask for its signal. */
export class Sender implements Requester {
  readonly by: string;
  private readonly request: Request;

  constructor(by: string, request: Request) {
    this.by = by;
    this.request = request;
  }

  get signal(): AbortSignal | undefined {
    return this.request.signal;
  }
}

export const addressOf = ({ client = '' }: Request): string => `at ${client}`;

export const requesterName = ({ caller }: Principal, request: Request): string =>
  caller === null ? addressOf(request) : `by ${String(caller.key)}`;
