import type { Caller } from '../expression/context.ts';
import type { Requester } from '../store/contract.ts';
import type { Sight } from './sight.ts';

/** Who asks, and what they may do and see. */
export interface Asker {
  readonly caller: Caller | null;
  readonly sight: Sight;
  /** For whom reads are, where they come from outside. */
  readonly requester?: Requester;
}
