import type { Runtime } from '../change/runtime.ts';
import type { CodeKind, CodeSettings } from '../model/identity.ts';
import type { Store } from '../store/contract.ts';
import type { Account } from './accounts.ts';
import { newCode } from './codes.ts';
import type { Codes } from './codes.ts';
import type { Messenger, Send } from './messenger.ts';

/** Sends codes to accounts. */
export interface AccountCodes {
  /**
   * Sends a code to whomever `find` finds. Nobody waits for it: not even the time of an answer tells whether there is
   * such an account.
   */
  send(kind: CodeKind, find: () => Promise<Account | undefined>): void;
}

export interface AccountCodesOptions {
  readonly settings: CodeSettings;
  readonly store: Store;
  readonly runtime: Runtime;
  readonly codes: Codes;
  readonly messenger: Messenger;
  readonly deliver: Send;
}

export function makeAccountCodes(options: AccountCodesOptions): AccountCodes {
  const { settings, store, runtime, codes, messenger, deliver } = options;
  return {
    send(kind, find) {
      messenger.later(async () => {
        const account = await find();
        if (account?.address == null) return undefined;
        const { key: caller, address } = account;
        const code = newCode((bytes) => runtime.random(bytes));
        const now = runtime.now();
        const expires = new Date(now.getTime() + settings[kind]! * 1000);
        const isKept = await store.transaction((transaction) =>
          codes.keep(transaction, { kind, code, caller, address, now, expires }),
        );
        const link = settings.link?.replaceAll('{kind}', kind).replaceAll('{code}', code);
        return isKept ? () => deliver(kind, address, { code, link, expires }) : undefined;
      });
    },
  };
}
