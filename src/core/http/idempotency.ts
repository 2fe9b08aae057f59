import { createHmac, createSecretKey } from 'node:crypto';
import type { KeyObject } from 'node:crypto';
import { COMMON_HEADERS, JSON_HEADERS } from '../api/message.ts';
import type { Claim, Reply, Request } from '../api/message.ts';
import { HttpProblem } from '../api/problems.ts';
import type { UnitOfWork } from '../change/unit-of-work.ts';
import type { Statement } from '../sql/statement.ts';
import { StoreError } from '../store/contract.ts';
import type { Store } from '../store/contract.ts';
import { requestsTable } from '../tables/own-tables.ts';

/** Requests that carry an Idempotency-Key, and are answered once, however often they come. */
export interface Idempotency {
  /**
   * Answers a request that carries a key: by `answer`, or as the first one was answered, which `again` may shorten.
   * The key belongs to the caller.
   */
  once(
    request: Request,
    asked: { readonly by: string; readonly path: string; readonly query: string },
    answer: (claimed: Request) => Promise<Reply>,
    again: (reply: Reply) => Promise<Reply>,
  ): Promise<Reply>;
  /** Runs a write with its claim, and stores the answer in the same transaction. */
  within(work: UnitOfWork, claim: Claim | undefined, write: (work: UnitOfWork) => Promise<Reply>): Promise<Reply>;
}

/** Where the database has no table for it. */
export const noIdempotency: Idempotency = {
  once: () =>
    Promise.reject(new HttpProblem('malformed-request', 'no Idempotency-Key is remembered here: leave it out')),
  within: (work, _claim, write) => write(work),
};

/** How long an answer is repeated. */
const KEPT_MS = 24 * 60 * 60 * 1000;
const LONGEST_KEY = 255;
/** After this number of claims, expired ones are deleted. */
const CLEARED_EVERY = 100;

/** Claims use the first key; those of older keys are found too. */
export function makeIdempotency(store: Store, serviceKeys: readonly string[], now: () => Date): Idempotency {
  const secrets = serviceKeys.map((key) =>
    createSecretKey(createHmac('sha256', key).update('vantfell idempotency').digest()),
  );
  const digest = (secret: KeyObject, ...parts: (string | Uint8Array)[]): string => {
    const hmac = createHmac('sha256', secret);
    for (const part of parts) hmac.update(`${part.length}:`).update(part);
    return hmac.digest('hex');
  };
  const statements = statementsFor(store);
  // Claims of running requests: never more than connections.
  const running = new Set<string>();
  let claims = 0;

  const oldest = (): string => new Date(now().getTime() - KEPT_MS).toISOString();

  async function known(claim: Claim): Promise<Reply | undefined> {
    const row = await store.first(statements.find, [claim.id, oldest()]);
    if (row === undefined) return undefined;
    const [body, status, kept, answer] = row as [string, number, string | null, string | null];
    if (body !== claim.body) throw new HttpProblem('other-request', 'take a new key for another body');
    const headers = { ...(answer === null ? COMMON_HEADERS : JSON_HEADERS), ...keptHeaders(kept) };
    return { status: Number(status), headers, body: answer ?? undefined };
  }

  return {
    async once(request, { by, path, query }, answer, again) {
      const key = String(request.headers['idempotency-key']);
      if (!/^[\x21-\x7e]+$/.test(key) || key.length > LONGEST_KEY) {
        throw new HttpProblem('malformed-request', `Idempotency-Key must be 1 to ${LONGEST_KEY} visible characters`);
      }
      const claims = secrets.map((secret) => ({
        id: digest(secret, by, request.method, path, query, key),
        body: digest(secret, request.body ?? ''),
      }));
      const claim = claims[0]!;
      const { id } = claim;
      if (running.has(id)) throw new HttpProblem('still-running', undefined, { headers: { 'retry-after': '1' } });
      running.add(id);
      try {
        for (const one of claims) {
          const before = await known(one);
          if (before !== undefined) return await again(before);
        }
        try {
          return await answer({ ...request, signal: request.signal, claim });
        } catch (error) {
          // Another process was answering it.
          const after = isClaimed(error) ? await known(claim) : undefined;
          if (after === undefined) throw error;
          return await again(after);
        }
      } finally {
        running.delete(id);
      }
    },

    async within(work, claim, write) {
      if (claim === undefined) return write(work);
      const { transaction } = work;
      claims += 1;
      if (claims % CLEARED_EVERY === 1) void transaction.send(statements.clear, [oldest()]);
      void transaction.send(statements.drop, [claim.id, oldest()]);
      await transaction.run(statements.claim, [claim.id, claim.body, now().toISOString()]);
      const reply = await write(work);
      const { status, headers, body } = reply;
      if (status >= 200 && status < 300) {
        void transaction.send(statements.keep, [claim.id, status, ownHeaders(headers), body ?? null]);
      }
      return reply;
    },
  };
}

/** The headers that an answer has of its own, as text. */
function ownHeaders(headers: Reply['headers']): string | null {
  const own = Object.entries(headers).filter(([name]) => !Object.hasOwn(JSON_HEADERS, name));
  return own.length === 0 ? null : JSON.stringify(Object.fromEntries(own));
}

/** Reads them again; a path alone is what was kept before there were others. */
function keptHeaders(text: string | null): Reply['headers'] {
  if (text === null) return {};
  return text.startsWith('{') ? (JSON.parse(text) as Record<string, string>) : { location: text };
}

const isClaimed = (error: unknown): boolean =>
  error instanceof StoreError && error.fault.kind === 'unique' && error.fault.table === requestsTable.name;

function statementsFor({
  dialect: { name, placeholder },
}: Store): Readonly<Record<'find' | 'claim' | 'keep' | 'drop' | 'clear', Statement>> {
  const table = name(requestsTable.name);
  const [id, body, at, status, location, answer] = requestsTable.columns.map((column) => name(column.name));
  const [first, second, third, fourth] = [1, 2, 3, 4].map(placeholder);
  return {
    find: {
      sql:
        `SELECT ${body}, ${status}, ${location}, ${answer} ` +
        `FROM ${table} WHERE ${id} = ${first} AND ${at} >= ${second} AND ${status} IS ` +
        'NOT NULL',
    },
    claim: { sql: `INSERT INTO ${table} (${id}, ${body}, ${at}) VALUES (${first}, ${second}, ${third})` },
    keep: {
      sql:
        `UPDATE ${table} SET ${status} = ${second}, ${location} = ` +
        `${third}, ${answer} = ${fourth} ` +
        `WHERE ${id} = ${first}`,
    },
    drop: { sql: `DELETE FROM ${table} WHERE ${id} = ${first} AND ${at} < ${second}` },
    clear: { sql: `DELETE FROM ${table} WHERE ${at} < ${first}` },
  };
}
