import type { Send } from '../identity/messenger.ts';

/** What sends the messages of a service: codes for the callers that a model holds. */
export interface Messages {
  readonly kind: 'messages';
  readonly model: string;
  readonly send: Send;
}

/**
 * Says how callers are sent their codes, in `code/<model>.messages.ts`. A failure is logged: nobody waits for it.
 *
 * @example
 * export default messages('member', { async send(kind, to, { code, link, expires }) { … } });
 */
export function messages(model: string, handlers: { readonly send: Send }): Messages {
  const strange = Object.keys(handlers).find((name) => name !== 'send');
  if (strange !== undefined) throw new TypeError(`messages have no ${strange}; known: send`);
  if (typeof handlers.send !== 'function') throw new TypeError('messages need send(kind, to, { code, link, expires })');
  return Object.freeze({ kind: 'messages', model, send: handlers.send });
}
