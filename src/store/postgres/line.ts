import type pg from 'pg';
import { StoreError } from '../../core/store/contract.ts';
import type { HandledLine } from '../base/handle.ts';
import { askOn, inOnePiece } from './ask.ts';
import { isLost } from './failures.ts';
import type { Failures } from './failures.ts';
import type { PreparedStatements } from './prepared.ts';
import { commandOf } from './query.ts';
import type { Query, Result } from './query.ts';

/**
 * The statements of one transaction. Those that are put before anything waits leave in one piece, and PostgreSQL
 * answers them in order: after one that fails, it does nothing but fail until the transaction is rolled back.
 */
export interface Line extends HandledLine {
  /** Sends what begins it. */
  begin(query: Query): void;
  rollBack(): Promise<unknown>;
  commit(): Promise<void>;
}

/** What the transactions of one store are run with. */
export interface LineParts {
  readonly prepared: PreparedStatements;
  readonly failures: Failures;
}

export function makeLine(client: pg.ClientBase, { prepared, failures }: LineParts): Line {
  /** Why a statement failed that nobody waits for. */
  let failed: { readonly error: unknown } | undefined;
  let isGathering = false;

  function put(query: Query): Promise<Result> {
    if (!isGathering) {
      isGathering = true;
      inOnePiece(client, (leave) =>
        process.nextTick(() => {
          isGathering = false;
          leave();
        }),
      );
    }
    return askOn(client, query);
  }

  const command = (text: string): Promise<unknown> =>
    put(commandOf(text)).catch((error: unknown) => {
      throw failures.of(error);
    });

  const send = (query: Query): Promise<number | undefined> =>
    put(query).then(
      ({ rowCount }) => rowCount ?? 0,
      (error: unknown) => void (failed ??= { error }),
    );
  /** Nothing waits for it. */
  const leave = (text: string): Promise<void> => {
    void send(commandOf(text));
    return Promise.resolve();
  };

  return {
    begin: (query) => void send(query),
    mark: (point) => leave(`SAVEPOINT ${point}`),
    keep: (point) => leave(`RELEASE ${point}`),
    ask: (statement, values) =>
      put(prepared.queryOf(statement, values)).catch(async (error: unknown) => {
        throw await failures.ofStatement((failed ?? { error }).error);
      }),
    send: (statement, values) => send(prepared.queryOf(statement, values)),
    rollBack: () => command('ROLLBACK'),
    async backTo(point) {
      await command(`ROLLBACK TO ${point}`);
      failed = undefined;
    },
    async commit() {
      const outcome = await put(prepared.commit).then(
        (result) => ({ result }),
        (error: unknown) => ({ error: failures.of(error) }),
      );
      const lost = 'error' in outcome && isLost(outcome.error) ? outcome.error : undefined;
      // The connection was lost with the commit under way: nobody knows whether it was kept.
      if (lost !== undefined) throw new StoreError({ kind: 'uncertain' }, lost.message, lost.remedy, lost);
      if (failed !== undefined) throw await failures.ofStatement(failed.error);
      if ('error' in outcome) throw outcome.error;
      if (isRolledBack(outcome.result)) throw rolledBack();
    },
  };
}

/** What PostgreSQL says where a transaction is to be kept of which a statement has failed: it takes it back. */
const isRolledBack = ({ command }: Result): boolean => command === 'ROLLBACK';

const rolledBack = (): StoreError =>
  new StoreError(
    { kind: 'defect' },
    'a statement failed, and the transaction was to be kept',
    'this is a defect of vantfell: please report it',
  );
