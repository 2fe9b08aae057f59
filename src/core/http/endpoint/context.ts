import type { Principal } from '../../access/principal.ts';
import type { Reply, Request } from '../../api/message.ts';
import type { Code } from '../../change/code.ts';
import type { Runtime } from '../../change/runtime.ts';
import type { UnitOfWork } from '../../change/unit-of-work.ts';
import type { Writes } from '../../change/writes.ts';
import type { Hashing } from '../../identity/hashing.ts';
import type { Graph } from '../../model/graph.ts';
import type { Cursors } from '../../query/cursor.ts';
import type { Store, TransactionOptions } from '../../store/contract.ts';
import type { EntityTags } from '../request/entity-tag.ts';
import type { LastPages } from './last-pages.ts';

/** What the endpoints of all models have in common. */
export interface EndpointContext {
  readonly graph: Graph;
  readonly store: Store;
  readonly cursors: Cursors;
  readonly tags: EntityTags;
  readonly lastPages: LastPages;
  readonly runtime: Runtime;
  readonly code: Code;
  readonly writes: Writes;
  readonly hashing: Hashing;
  /** Answers a request by a write in one transaction, which includes all reads for the answer. */
  answer(
    principal: Principal,
    request: Request,
    write: (work: UnitOfWork) => Promise<Reply>,
    options?: TransactionOptions,
  ): Promise<Reply>;
}

/**
 * How many forms of requests have cached statements: clients use a few, and a flood of others must not fill the
 * memory.
 */
export const KEPT_FORMS = 500;
/** Longer queries are rare, and are parsed each time. */
export const LONGEST_KEPT = 1_000;
