import { STATUS_CODES } from 'node:http';
import type { Log } from '../../core/change/scope.ts';
import { callerCalled, signing } from '../../project/callers.ts';
import { observed } from '../../project/observed.ts';
import type { Exchange } from '../../project/observed.ts';
import { outsideTokens } from '../../project/outside.ts';
import { serviceKeys } from '../../project/project.ts';
import { firstSamples } from '../../project/samples.ts';
import { serviceOn } from '../../project/serve.ts';
import type { Store } from '../../core/store/contract.ts';
import { Refusal } from '../../server/console/console.ts';
import { isBorder } from '../../store/traced.ts';
import { explainedAll, isServed, toldOf, verdict } from '../ask/explained.ts';
import { sqlText } from '../ask/sql-text.ts';
import type { LoadedProject } from '../load-project.ts';

/** A request of the page. */
export interface Asked {
  /** A sample, a login or a key; null for nobody. */
  readonly as: string | null;
  readonly method: string;
  readonly target: string;
  readonly headers: Readonly<Record<string, string>>;
  readonly body: string | null;
}

/** A request that was answered, as it is kept for the page. */
export interface Kept extends Asked {
  readonly id: number;
  readonly status: number;
  readonly answer: string;
  readonly exchange: Exchange;
}

/** Exchanges of which the plans can still be asked for. */
const MOST_KEPT = 500;

/** A service like the one that runs, over the same store, which remembers what the page asked it. */
export interface ConsoleService {
  ask(asked: Asked): Promise<object>;
  /** The statements of an exchange, each with its plan. */
  plans(id: number): Promise<object[]>;
  kept(id: number): Kept;
  settled(): Promise<void>;
}

export interface ConsoleLog {
  report(error: unknown): void;
  /** That of the project's code. */
  readonly code: Log;
}

export function consoleService(
  project: LoadedProject,
  store: Store,
  { report, code: log }: ConsoleLog,
): ConsoleService {
  const { graph } = project;
  const { keys } = serviceKeys(project);
  const seen = observed(store);
  const service = serviceOn(graph, seen.store, keys, report, {
    log,
    code: project.loaded,
    outside: outsideTokens(project),
    samples: () => firstSamples(project),
  });
  const kept = new Map<number, Kept>();
  let last = 0;

  async function headersOf({ as, headers }: Asked): Promise<Record<string, string>> {
    const { authorization: _none, ...others } = headers;
    if (as === null) return others;
    const { lifetime } = signing(graph, { none: 'act as nobody', outside: 'act as nobody' });
    const key = await callerCalled(graph, store, as);
    return { ...others, authorization: `Bearer ${await service.token(String(key), lifetime)}` };
  }

  return {
    async ask(asked) {
      const headers = await headersOf(asked);
      const body = asked.body === null ? undefined : new TextEncoder().encode(asked.body);
      let exchange: Exchange | undefined;
      const told = seen.around(service, (one) => (exchange = one));
      const reply = await told.handle({ ...asked, headers, body, client: '127.0.0.1' });
      const own = exchange!;
      const id = (last += 1);
      kept.set(id, { ...asked, id, status: reply.status, answer: reply.body ?? '', exchange: own });
      kept.delete(id - MOST_KEPT);
      return {
        id,
        status: reply.status,
        reason: STATUS_CODES[reply.status] ?? '',
        headers: reply.headers,
        body: reply.body ?? '',
        milliseconds: own.milliseconds,
        statements: own.asked.map((one) => ({
          sql: isBorder(one) ? one.statement.sql : sqlText(one.statement.sql, store.kind),
          isBorder: isBorder(one),
          milliseconds: one.milliseconds,
          rows: one.rows ?? null,
        })),
      };
    },
    async plans(id) {
      const explained = await explainedAll(graph, store, theKept(id).exchange.asked);
      return explained.map((one) => ({
        sql: sqlText(one.asked.statement.sql, store.kind),
        verdict: verdict(one),
        isServed: isServed(one),
        plan: [...new Set(toldOf(one.plan.now).map(({ text }) => text))],
        add: one.advice?.advice.index ?? null,
        model: one.advice?.model ?? null,
        but: one.advice?.advice.but ?? [],
      }));
    },
    kept: theKept,
    settled: () => service.settled(),
  };

  function theKept(id: number): Kept {
    const found = kept.get(id);
    if (found === undefined) throw new Refusal('this request is too long ago: send it again');
    return found;
  }
}
