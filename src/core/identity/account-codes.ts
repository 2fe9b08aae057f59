import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { CodeKind } from '../model/identity.ts';
import type { Scalar } from '../model/scalar.ts';
import type { Store } from '../store/contract.ts';
import { accountFinder } from './accounts.ts';
import type { Account } from './accounts.ts';
import { makeCodes, newCode } from './codes.ts';
import { makeMessenger } from './messenger.ts';
import type { Send } from './messenger.ts';

/** Sends codes to accounts. */
export interface AccountCodes {
  /**
   * Sends a code to whomever `find` finds. Nobody waits for it: not even the time of an answer tells whether there is
   * such an account.
   */
  send(kind: CodeKind, find: () => Promise<Account | undefined>): void;
  /** Callers have another address: each is sent a code that proves it. */
  addressesChanged(callers: readonly Scalar[]): void;
  /** Resolves when all is sent. */
  settled(): Promise<void>;
}

export interface AccountCodesOptions {
  now(): Date;
  /** Bytes that nobody can guess. */
  random(bytes: number): Uint8Array;
  /** Sends the messages; undefined where nothing does, which is told when one should go out. */
  readonly deliver: Send | undefined;
  /** Called with what could not be sent. */
  report(error: unknown): void;
}

/** Undefined where the identity has no codes. */
export function makeAccountCodes(graph: Graph, store: Store, options: AccountCodesOptions): AccountCodes | undefined {
  const { identity } = graph;
  const settings = identity?.codes;
  if (settings === undefined) return undefined;
  const messenger = makeMessenger((error) => options.report(error));
  const codes = makeCodes(store.dialect);
  const find = accountFinder(graph, store, modelOf(graph, identity!.model).key);
  const deliver: Send = (...given) => {
    if (options.deliver === undefined) throw new Error('nothing here sends messages');
    return options.deliver(...given);
  };

  const send: AccountCodes['send'] = (kind, findAccount) =>
    messenger.later(async () => {
      const account = await findAccount();
      if (account?.address == null) return undefined;
      const { key: caller, address } = account;
      const code = newCode((bytes) => options.random(bytes));
      const now = options.now();
      const expires = new Date(now.getTime() + settings[kind]! * 1000);
      const isKept = await store.transaction((transaction) =>
        codes.keep(transaction, { kind, code, caller, address, now, expires }),
      );
      const link = settings.link?.replaceAll('{kind}', kind).replaceAll('{code}', code);
      return isKept ? () => deliver(kind, address, { code, link, expires }) : undefined;
    });

  return {
    send,
    addressesChanged: (callers) => callers.forEach((key) => send('verify', () => find(key))),
    settled: () => messenger.settled(),
  };
}
