import type { Principal } from '../../access/principal.ts';
import type { Reply, Request } from '../../api/message.ts';
import type { Runtime } from '../../change/runtime.ts';
import type { Writes } from '../../change/writes.ts';
import type { AccountCodes } from '../../identity/account-codes.ts';
import type { Callers } from '../../identity/callers.ts';
import type { Codes } from '../../identity/codes.ts';
import type { Credentials } from '../../identity/credentials.ts';
import type { Hashing } from '../../identity/hashing.ts';
import type { Sessions } from '../../identity/sessions.ts';
import type { Tokens } from '../../identity/tokens.ts';
import type { Graph } from '../../model/graph.ts';
import type { Store } from '../../store/contract.ts';
import type { Authenticator } from '../authenticator.ts';
import type { Shared } from '../shared.ts';
import type { RecordReader } from './read-record.ts';

/** A request for signing in, signing out, or the caller's own record. */
export interface IdentityRequest {
  readonly principal: Principal;
  readonly request: Request;
  readonly query: string;
  /** The last part of the path, where the page is of one of many; empty elsewhere. */
  readonly id: string;
}

export interface IdentityPage {
  /** The value of the header Allow. */
  readonly allow: string;
  /** Whether it is for those who are not signed in: a token that comes with the request is not looked at. */
  readonly isOpen: boolean;
  readonly methods: ReadonlyMap<string, (asked: IdentityRequest) => Promise<Reply>>;
}

export interface FoundPage {
  readonly page: IdentityPage;
  /** The path, with names in the place of what differs. */
  readonly path: string;
  readonly id: string;
}

export interface IdentityPages {
  /** The page at a path of a request. */
  find(path: string): FoundPage | undefined;
}

export interface IdentityPagesOptions {
  readonly graph: Graph;
  readonly store: Store;
  readonly runtime: Runtime;
  readonly writes: Writes;
  readonly tokens: Tokens;
  readonly callers: Callers;
  readonly sessions: Sessions;
  readonly codes: Codes;
  /** Undefined where no codes are sent. */
  readonly accountCodes: AccountCodes | undefined;
  readonly credentials: Credentials;
  readonly authenticator: Authenticator;
  readonly hashing: Hashing;
  readonly allowance: Shared['allowance'];
  /** Answers reads of the identity model's records. */
  readonly readRecord: RecordReader;
}
