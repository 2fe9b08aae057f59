import { statementsOf } from '../../core/migrations/ends-transaction.ts';
import { halfDoneRemedy, halfDoneText, migrationOf } from '../../core/migrations/half-done.ts';
import { StoreError } from '../../core/store/contract.ts';
import { BACK } from '../../core/tables/ddl.ts';
import { command } from './ask.ts';
import type { Client } from './ask.ts';
import { refuseBroken } from './dependents.ts';
import { isLost, isPassing, storeError } from './errors.ts';
import {
  codeStart,
  halfDoneOf,
  isOnTables,
  isSetting,
  standingProgress,
  stateBefore,
  writeProgress,
} from './progress.ts';
import type { Progress } from './progress.ts';

/** Runs one statement, however long it has to wait for the tables. */
export type Patiently = <Result>(work: () => Promise<Result>) => Promise<Result>;

/** Where scripts are run. */
export interface ScriptPlace {
  readonly client: Client;
  readonly address: string;
  readonly patiently: Patiently;
}

/** Runs a script that may be run again from its beginning. */
export async function runScript({ client, address, patiently }: ScriptPlace, sql: string): Promise<void> {
  for (const statement of statementsOf(sql)) {
    await patiently(() => command(client, codeStart(statement))).catch((error: unknown) => {
      throw refused(error, address);
    });
  }
}

/** Runs a script that is written down as it goes on: one that was broken off goes on where it was. */
export async function runNamed(place: ScriptPlace, sql: string, name: string): Promise<void> {
  const { client, address, patiently } = place;
  const statements = statementsOf(sql);
  const before = await standingProgress(client);
  if (before !== undefined && (before.name !== name || before.isBack === true)) throw otherHalfDone(before);
  let progress: Progress = { name, script: sql, done: 0 };
  if (before === undefined) await refuseBroken(client, statements);
  if (before !== undefined) progress = await resumed(place, before, statements, sql);
  for (const statement of statements.slice(progress.done)) {
    const text = codeStart(statement);
    try {
      if (isOnTables(statement)) {
        await keep(client, { ...progress, begun: await stateBefore(client, statement) });
        await patiently(() => command(client, text));
        progress = { ...progress, done: progress.done + 1 };
      } else {
        await patiently(() => command(client, text));
        progress = { ...progress, done: progress.done + 1 };
        if (!isSetting(statement)) await keep(client, progress);
      }
    } catch (error) {
      const found = refused(error, address);
      if (found.fault.kind !== 'refused') throw found;
      await command(client, 'ROLLBACK');
      throw await afterFailure(place, progress, found);
    }
  }
  // Goes with what is kept of the script's end.
  await writeProgress(client, undefined);
}

/** A statement that failed has done nothing: those before it are taken back, too, if they can be. */
async function afterFailure(place: ScriptPlace, progress: Progress, found: StoreError): Promise<StoreError> {
  await keep(place.client, progress);
  try {
    await takeBack(place);
    await command(place.client, 'COMMIT');
    return found;
  } catch (error) {
    if (!(error instanceof StoreError) || error.fault.kind !== 'refused') throw error;
    const fault = { kind: 'refused', halfDone: halfDoneOf(progress) } as const;
    return new StoreError(fault, found.message, found.remedy, found.cause);
  }
}

async function keep(client: Client, progress: Progress | undefined): Promise<void> {
  await writeProgress(client, progress);
  await command(client, 'COMMIT');
}

/** How far a script has come that was broken off, in a text that may have been mended since. */
async function resumed(
  { client }: ScriptPlace,
  before: Progress,
  statements: readonly string[],
  sql: string,
): Promise<Progress> {
  const done = statementsOf(before.script).slice(0, before.done).map(codeStart);
  if (done.some((text, at) => text !== codeStart(statements[at] ?? ''))) {
    const message = `${migrationOf(before)} is half done, and a statement of it that stands is another now`;
    throw new StoreError({ kind: 'refused' }, message, 'bring that back as it was; what comes behind it may be mended');
  }
  for (const statement of statements.slice(0, before.done)) {
    if (isSetting(statement)) await command(client, codeStart(statement));
  }
  return { ...before, script: sql };
}

const WAY_BACK = new RegExp(`^\\s*${BACK}(.*)$`, 'm');
/** What was put into a table or a column that is taken back needs no statement. */
const NOTHING = 'nothing';

/** Takes back the statements that were done of a script, the last one first. */
export async function takeBack(place: ScriptPlace): Promise<void> {
  const { client, address, patiently } = place;
  const before = await standingProgress(client);
  if (before === undefined) return;
  const statements = statementsOf(before.script);
  let { done } = before;
  const lasting = statements.slice(0, done).findLast((one) => !isSetting(one) && wayBackOf(one) === undefined);
  if (lasting !== undefined) throw noWayBack(before, codeStart(lasting));
  while (done > 0) {
    const back = wayBackOf(statements[done - 1]!) ?? NOTHING;
    const progress: Progress = { ...before, done: done - 1, begun: undefined, isBack: true };
    if (back === NOTHING) {
      await keep(client, progress);
    } else {
      await keep(client, { ...progress, done });
      await command(client, 'SET foreign_key_checks = 0');
      await patiently(() => command(client, back)).catch((error: unknown) => {
        if (!isGoneAlready(error)) throw refused(error, address);
      });
      await command(client, 'SET foreign_key_checks = 1');
      await keep(client, progress);
    }
    done -= 1;
  }
  await writeProgress(client, undefined);
}

const wayBackOf = (statement: string): string | undefined => WAY_BACK.exec(statement)?.[1];

/** A way back that was gone before it was written down: there is nothing left of what it takes away. */
const isGoneAlready = (error: unknown): boolean =>
  [1050, 1051, 1054, 1060, 1061, 1091, 1146, 1826, 1005].includes((error as { errno?: number }).errno ?? 0);

const noWayBack = (before: Progress, statement: string): StoreError =>
  new StoreError(
    { kind: 'refused' },
    `${toldOf(before)}, and can not be taken back: ${statement.split('\n')[0]!.slice(0, 120)}`,
    'let it run to its end, and take it back then',
  );

const otherHalfDone = (before: Progress): StoreError =>
  new StoreError({ kind: 'refused' }, toldOf(before), halfDoneRemedy(halfDoneOf(before)));

const toldOf = (before: Progress): string => `${migrationOf(before)} is ${halfDoneText(halfDoneOf(before))}`;

/** What stopped a script. */
function refused(error: unknown, address: string): StoreError {
  const told = storeError(error, address);
  if (isPassing(told) || isLost(told) || ['busy', 'unreachable'].includes(told.fault.kind)) return told;
  return new StoreError({ kind: 'refused' }, told.message, '', error);
}
