import type { Principal } from '../access/principal.ts';
import type { Request } from '../api/message.ts';
import type { Requester } from '../store/contract.ts';

/** What is learned about a request on the way. */
export interface Note {
  sender?: Principal;
  /** How far the database had come once its writes were kept. */
  kept?: string;
}

/** The header that carries how far the database has come, from the answer to a write to the reads after it. */
export const CONSISTENCY = 'consistency-token';

/** The sender of a request. A class, because there is one for each request, and few ask for its signal. */
export class Sender implements Requester {
  readonly by: string;
  private readonly request: Request;
  private readonly note: Note;

  constructor(by: string, request: Request, note: Note) {
    this.by = by;
    this.request = request;
    this.note = note;
  }

  get signal(): AbortSignal | undefined {
    return this.request.signal;
  }

  get since(): string | undefined {
    const { method, headers } = this.request;
    return method === 'GET' || method === 'HEAD' ? String(headers[CONSISTENCY] ?? '') : undefined;
  }

  kept(position: string): void {
    this.note.kept = position;
  }
}

export const addressOf = ({ client = '' }: Request): string => `at ${client}`;

export const requesterName = ({ caller }: Principal, request: Request): string =>
  caller === null ? addressOf(request) : `by ${String(caller.key)}`;
