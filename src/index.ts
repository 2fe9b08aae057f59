import type { HandlersOf, ModelName, OperationName, RunOf } from './code-types.ts';
import { hooks as anyHooks } from './core/change/hooks.ts';
import type { Hooks } from './core/change/hooks.ts';
import { messages as anyMessages } from './core/change/messages.ts';
import type { Messages } from './core/change/messages.ts';
import { operation as anyOperation } from './core/change/operation.ts';
import type { Operation } from './core/change/operation.ts';
import type { Message, Send } from './core/identity/messenger.ts';

/**
 * Names the hooks of a model, in `code/<model>.hooks.ts`. A name that is no hook is an error here and now.
 *
 * @example
 * export default hooks('stay', { async beforeCreate(draft, scope) { … } });
 */
export const hooks = anyHooks as <Name extends ModelName>(model: Name, handlers: HandlersOf<Name>) => Hooks;

/**
 * Gives an operation its code, in `code/<model>.<operation>.ts`.
 *
 * @example
 * export default operation('hut.book', async (input, scope) => { … });
 */
export const operation = anyOperation as <Name extends OperationName>(name: Name, code: RunOf<Name>) => Operation;

/**
 * Says how callers are sent their codes, in `code/<model>.messages.ts`. A failure is logged: nobody waits for it.
 *
 * @example
 * export default messages('member', { async send(kind, to, { code, link, expires }) { … } });
 */
export const messages = anyMessages as <Name extends ModelName>(model: Name, handlers: { send: Send }) => Messages;

export { cql } from './core/change/find.ts';
export { openService } from './project/open-service.ts';
export type { OpenService } from './project/open-service.ts';
export type { Message, Send };
export type { Models, ModelScope, Operations, RecordOf, ScopeOf } from './code-types.ts';
