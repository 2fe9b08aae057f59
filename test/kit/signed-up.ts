import { expect } from '@jest/globals';
import { openTestService } from './open-test-service.ts';
import type { TestReply, TestService } from './open-test-service.ts';
import { folderWith } from './program.ts';

/** A service whose members have a name and a word, and some of them. */
export interface SignedUp {
  readonly on: TestService;
  ask(who: string, method: string, path: string, body?: unknown): Promise<TestReply>;
}

/** Opens a service of these models, on SQLite or in a new database, and signs people up. */
export async function signUp(models: string, names: readonly string[], database?: string): Promise<SignedUp> {
  const folder = folderWith({
    'vantfell.yaml': 'service: { name: Members }\nidentity: { model: member, login: name, secret: word }\n',
    'models/all.yaml': models,
  });
  const on = await openTestService(folder, { database });
  const tokens = new Map<string, string>();
  for (const name of names) {
    const word = `${name} knows a word`;
    expect((await on.ask('POST', '/members', { name, word })).status).toBe(201);
    tokens.set(name, (await on.ask('POST', '/tokens', { name, word })).body.access_token as string);
  }
  return {
    on,
    ask: (who, method, path, body) => on.ask(method, path, body, { authorization: `Bearer ${tokens.get(who)!}` }),
  };
}
