import { EXIT } from '../project/failure.ts';
import { requestOptions } from './ask/options.ts';
import type { Command } from './command.ts';

export const explain: Command = {
  usage: 'explain <method> <path> [body]',
  about: 'The SQL of a request, how the database goes about it, and the index that would help',
  examples: [
    ["vantfell explain GET '/v1/huts?valley=Askdal&sort=beds'", 'a list'],
    ["vantfell explain GET '/v1/huts/{id}'", 'with some record'],
    ["vantfell explain PATCH '/v1/huts/{hut/grey-hut}' '{\"beds\": 38}' --as ines", 'a write, which is taken back'],
  ],
  options: requestOptions,

  async run(context, given) {
    const { openSession } = await import('./ask/session.ts');
    const { statusText } = await import('./ask/request.ts');
    const { explainedAll } = await import('./ask/explained.ts');
    const { explainedValue, showExplained } = await import('./ask/show-explained.ts');
    const { sentRequest, readRequestOptions } = await import('./ask/request-options.ts');
    const written = readRequestOptions(given);
    const session = await openSession(context, { lasting: false });
    try {
      const { graph } = session.project;
      const sent = await sentRequest(session, written);
      const { method, target } = sent;
      const { reply, exchange } = await session.ask(sent);
      const explained = await explainedAll(graph, session.store, exchange.asked);
      context.terminal.value({
        method,
        target,
        status: reply.status,
        statements: explained.map(explainedValue),
      });
      context.terminal.show(`${context.terminal.paint.bold(`${method} ${target}`)}  ${statusText(reply.status)}`);
      showExplained(context, explained, session.store.kind);
      if (reply.status < 400) return EXIT.done;
      const { detail = '', title = '' } = JSON.parse(reply.body ?? '{}') as { detail?: string; title?: string };
      context.terminal.warn(
        `the service refuses this request, so that there is no more to explain: ${detail || title}`,
      );
      return EXIT.foundWrong;
    } finally {
      await session.close();
    }
  },
};
