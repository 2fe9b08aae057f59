import type { Reply } from '../../core/api/message.ts';
import type { Store } from '../../core/store/contract.ts';
import type { Exchange } from '../../project/observed.ts';
import type { Context } from '../command.ts';
import { faultText } from '../fault-text.ts';
import type { LoadedProject } from '../load-project.ts';

/** A project's service without a server, and what is needed to ask it. */
export interface Session {
  readonly project: LoadedProject;
  readonly store: Store;
  /** A token for somebody who can sign in, named as a sample, by their login or their key. */
  tokenFor(who: string): Promise<string>;
  /** Answers a request, and returns its statements. */
  ask(request: SentRequest): Promise<{ readonly reply: Reply; readonly exchange: Exchange }>;
  close(): Promise<void>;
}

/** Opens a project's service for a few requests. `lasting` tells whether what they write is kept. */
export async function openSession(context: Context, { lasting }: { readonly lasting: boolean }): Promise<Session> {
  const { loadProject } = await import('../load-project.ts');
  const { openWithAnswers } = await import('../resolve-questions.ts');
  const { serviceKeys } = await import('../../project/project.ts');
  const { serviceOn, storeOptions } = await import('../../project/serve.ts');
  const { outsideTokens } = await import('../../project/outside.ts');
  const { firstSamples } = await import('../../project/samples.ts');
  const { observed } = await import('../../project/observed.ts');
  const { takenBack } = await import('../../store/taken-back.ts');
  const { terminal } = context;
  const project = await loadProject(context);
  const { keys } = serviceKeys(project);
  const store = await openWithAnswers(context, project, { ...storeOptions(project.graph), slowReads: 0 });
  const report = (error: unknown): void => terminal.warn(faultText(error, context));
  const log =
    (level: string) =>
    (message: string, details?: unknown): void =>
      terminal.say(`${level}: ${message}${details === undefined ? '' : ` ${JSON.stringify(details)}`}`);
  const more = {
    code: project.loaded,
    log: { info: log('info'), warn: log('warn'), error: log('error') },
    outside: outsideTokens(project),
    samples: () => firstSamples(project),
    quiet: !lasting,
  };
  const seen = observed(lasting ? store : takenBack(store));
  const service = serviceOn(project.graph, seen.store, keys, report, more);
  let last: Exchange;
  // Code that waits for what never comes keeps no program alive, and the time limit that ends it doesn't either.
  const alive = setInterval(() => undefined, 60_000);
  const asked = seen.around(service, (exchange) => (last = exchange));
  return {
    project,
    store,
    tokenFor: async (who) => {
      const { callerCalled, signing } = await import('../../project/callers.ts');
      const { lifetime } = signing(project.graph, {
        none: 'leave out --as, or declare an identity in vantfell.yaml',
        outside: "send one with -H 'Authorization: Bearer …'",
      });
      const key = await callerCalled(project.graph, store, who);
      // A token is valid while its mark is in the database.
      return serviceOn(project.graph, store, keys, report, { quiet: true }).token(String(key), lifetime);
    },
    async ask({ body, ...request }) {
      const bytes = body === undefined ? undefined : new TextEncoder().encode(body);
      const reply = await asked.handle({ ...request, body: bytes, client: '127.0.0.1' });
      return { reply, exchange: last };
    },
    async close() {
      clearInterval(alive);
      await service.settled();
      await store.close();
    },
  };
}

/** A request as it is sent. */
export interface SentRequest {
  readonly method: string;
  readonly target: string;
  readonly headers: Readonly<Record<string, string>>;
  readonly body: string | undefined;
}
