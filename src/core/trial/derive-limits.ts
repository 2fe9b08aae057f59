import { allEndpoints } from '../api/endpoints.ts';
import type { Graph } from '../model/graph.ts';
import type { Answer, Fault } from './answer.ts';
import type { Case, Skipped } from './case.ts';
import { faultOf } from './judge.ts';

/** A limit of more requests in a minute takes too long to meet. */
const MOST_REQUESTS = 2_000;

/**
 * The limits of requests and of failed sign-ins: so many are let in, the next is not. `who` asks for what has a limit,
 * by the name of their sample: nobody's requests are those that sign in.
 */
export function deriveLimits(
  graph: Graph,
  who: string | undefined,
): { readonly cases: Case[]; readonly skipped: Skipped[] } {
  const { limits, prefix } = graph.service;
  const { rate = Infinity, signIn } = limits;
  const { identity } = graph;
  const cases: Case[] = [];
  const skipped: Skipped[] = [];

  function add(one: Case, why: string | undefined): void {
    if (why === undefined) cases.push(one);
    else skipped.push({ model: one.model, title: one.title, why });
  }

  const tooMany = (perMinute: number): string | undefined =>
    perMinute > MOST_REQUESTS ? 'so many take too long' : undefined;
  const expect = { status: 429, check: tellsWhen };
  const list = allEndpoints(graph).find(({ method, path }) => method === 'GET' && !path.includes('{'));
  if (rate < Infinity && list !== undefined) {
    const title = `more than ${rate} requests in a minute: refused, with the time to wait`;
    const step = { method: list.method, path: list.path, as: who ?? 'nobody', exhausts: rate, expect };
    const alone =
      identity !== undefined && who === undefined ? `the samples have no ${identity.model} who asks` : undefined;
    add({ model: list.model.name, endpoint: list.name, title, steps: [step] }, alone ?? tooMany(rate));
  }
  if (identity?.login !== undefined && identity.secret !== undefined) {
    const body = { [identity.login.member]: 'somebody unknown', [identity.secret.member]: 'not their secret' };
    const title = `more than ${signIn} failed sign-ins in a minute: refused, with the time to wait`;
    const step = {
      method: 'POST',
      path: `${prefix}/tokens`,
      body,
      as: 'nobody',
      exhausts: Math.min(rate, signIn),
      expect,
    } as const;
    add({ model: identity.model, endpoint: 'sign-in', title, steps: [step] }, tooMany(signIn));
  }
  return { cases, skipped };
}

/** RFC 9110, 10.2.3: whole seconds. */
const tellsWhen = ({ headers }: Answer): readonly Fault[] =>
  /^[1-9][0-9]*$/.test(headers['retry-after'] ?? '') ? [] : [faultOf('Retry-After', 'seconds', headers['retry-after'])];
