import { EXIT, Failure } from '../project/failure.ts';
import type { Command } from './command.ts';

export const token: Command = {
  usage: 'token <who>',
  about: 'A token for trying things out, as somebody who can sign in',
  examples: [
    ['vantfell token member/ines', 'as the member of the samples that is called ines'],
    ['curl -H "Authorization: Bearer $(vantfell token ines)" …', 'and asked with it'],
  ],
  options: (yargs) =>
    yargs
      .positional('who', { type: 'string', demandOption: true, describe: 'a sample, a login, or a key' })
      .option('lifetime', {
        type: 'string',
        requiresArg: true,
        describe: 'how long it is good, like 10min or 2h; as declared if left out',
      })
      .check(({ lifetime }) => {
        if (lifetime === undefined || /^[1-9]\d*(s|min|h|d)$/.test(lifetime)) return true;
        throw new Failure(
          EXIT.wrongCommand,
          '--lifetime must be a time like 10min or 2h',
          'write a number and s, min, h or d',
        );
      }),

  async run(context, given) {
    const { soundProject } = await import('./load-project.ts');
    const { serviceKeys } = await import('../project/project.ts');
    const { openWithAnswers } = await import('./resolve-questions.ts');
    const { serviceOn, storeOptions } = await import('../project/serve.ts');
    const { callerCalled, signing } = await import('../project/callers.ts');
    const { milliseconds } = await import('../core/resolve/service-settings.ts');
    const project = await soundProject(context, { fitted: true });
    const { graph } = project;
    const identity = signing(graph, { none: 'declare an identity in vantfell.yaml', outside: 'ask for one there' });
    const { terminal } = context;
    const { keys, made } = serviceKeys(project);
    const store = await openWithAnswers(context, project, { ...storeOptions(graph), slowReads: 0 });
    try {
      if (made) terminal.say('a key was made for this project: it is kept in .vantfell/key');
      const key = await callerCalled(graph, store, String(given.who));
      const lifetime = given.lifetime === undefined ? identity.lifetime : milliseconds(given.lifetime as string) / 1000;
      const service = serviceOn(graph, store, keys, () => undefined);
      const text = await service.token(String(key), lifetime);
      terminal.show(text);
      terminal.value({ token: text, caller: key, expires_in: lifetime });
      return EXIT.done;
    } finally {
      await store.close();
    }
  },
};
