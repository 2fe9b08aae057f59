import type { Caller } from '../expression/context.ts';
import type { Requester } from '../store/contract.ts';
import type { Permissions } from './permissions.ts';

/** Who asks, and what they may do and see. */
export interface Principal {
  readonly caller: Caller | null;
  readonly permissions: Permissions;
  /** For whom reads are, where they come from outside. */
  readonly requester?: Requester;
}
