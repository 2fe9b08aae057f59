import type { Reply } from '../../api/message.ts';
import { resetAsker, resetter, secretChanger, verificationAsker, verifier } from './account-pages.ts';
import type { IdentityPage, IdentityPages, IdentityPagesOptions, IdentityRequest } from './identity-page.ts';
import { knownCaller, refresher, revoker, sessionEnder, sessionLister, sessionsEnder } from './session-pages.ts';
import { signer } from './sign-in.ts';

type Method = [string, (asked: IdentityRequest) => Promise<Reply>];

export const noIdentityPages: IdentityPages = { find: () => undefined };

/** The sign-in pages of a service with an identity. */
export function makeIdentityPages(options: IdentityPagesOptions): IdentityPages {
  const { graph, readRecord } = options;
  const { identity, service } = graph;
  if (identity === undefined) return noIdentityPages;
  const pages = new Map<string, IdentityPage>();
  const ofOne = new Map<string, IdentityPage>();
  const add = (path: string, isOpen: boolean, ...methods: Method[]): void => {
    const allow = [...methods.map(([method]) => method), 'OPTIONS'].join(', ');
    const [start = '', one] = (service.prefix + path).split('{id}');
    (one === undefined ? pages : ofOne).set(start, { allow, isOpen, methods: new Map(methods) });
  };
  const me = ({ principal, request, query }: IdentityRequest): Promise<Reply> =>
    readRecord(principal, String(knownCaller(principal)), request, query);
  add('/me', false, ['GET', me], ['HEAD', me]);
  add('/tokens/revoke', false, ['POST', revoker(options)]);
  if (identity.login !== undefined && identity.secret !== undefined) {
    add('/tokens', true, ['POST', signer(options, identity.login, identity.secret)]);
  }
  if (identity.refresh !== undefined) {
    const list = sessionLister(options);
    add('/tokens/refresh', true, ['POST', refresher(options)]);
    add('/me/sessions', false, ['GET', list], ['HEAD', list], ['DELETE', sessionsEnder(options)]);
    add('/me/sessions/{id}', false, ['DELETE', sessionEnder(options)]);
  }
  if (identity.secrets.wantsOld) add('/me/secret', false, ['POST', secretChanger(options)]);
  // Counted together, whatever the codes are for.
  const limit = options.allowance('codes', service.limits.codes);
  if (identity.codes?.verify !== undefined) {
    add('/me/verification', false, ['POST', verificationAsker(options, limit)]);
    add('/verification', true, ['POST', verifier(options, limit)]);
  }
  if (identity.codes?.reset !== undefined) {
    add('/reset', true, ['POST', resetAsker(options, limit)]);
    add('/reset/secret', true, ['POST', resetter(options, limit)]);
  }
  return finderOf(pages, ofOne);
}

/** `ofOne` are those of one of many, by the beginnings of their paths. */
function finderOf(pages: ReadonlyMap<string, IdentityPage>, ofOne: ReadonlyMap<string, IdentityPage>): IdentityPages {
  return {
    find(path) {
      const page = pages.get(path);
      if (page !== undefined) return { page, path, id: '' };
      const [, start = '', id = ''] = /^(.*\/)([\w-]+)$/s.exec(path) ?? [];
      const found = ofOne.get(start);
      return found && { page: found, path: `${start}{id}`, id };
    },
  };
}
