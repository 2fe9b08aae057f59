import type { Traced } from '../api/message.ts';
import type { Caller } from '../expression/context.ts';
import type { Requester } from '../store/contract.ts';
import type { Permissions } from './permissions.ts';

/** Who sends a request, and what they may do and see. */
export interface Principal {
  readonly caller: Caller | null;
  readonly permissions: Permissions;
  /** The session of their token; undefined where it has none. */
  readonly session?: string | undefined;
  /** The mark of their token (see `Credentials`): it is void once their record has another. */
  readonly mark?: string | undefined;
  /** Whom reads are for, in a request. */
  readonly requester?: Requester;
  /** What they sent. */
  readonly request?: Traced;
}
