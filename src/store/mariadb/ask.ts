import { Socket } from 'node:net';
import type { Connection, ConnectionConfig, PoolConnection, Prepare } from 'mariadb/callback';
import type { Row, StoreValue } from '../../core/sql/statement.ts';
import type { Asked, Wire } from '../base/pipes.ts';
import { connected, streamTo } from './connected.ts';
import { tooLarge } from './errors.ts';
import { asWritten, isCut } from './written-json.ts';

/** A statement as MariaDB takes it. */
export interface Query {
  readonly text: string;
  /** In the order of its placeholders; a command that can't be prepared has none. */
  readonly values?: readonly StoreValue[];
  /** What is asked behind it: the rows are those that it finds. */
  readonly back?: Query | undefined;
  /** It makes JSON, which is not yet as every store writes it, and of which the server gives so many bytes. */
  readonly mostJson?: number | undefined;
  /** What is asked behind all: where it fails, so does the answer. */
  readonly check?: Query | undefined;
}

export interface Result {
  readonly rows: readonly Row[];
  readonly rowCount: number;
}

export type Queryable = Asked<Query, Result>;
export type Client = Connection | PoolConnection;

type Told = (error: Error | undefined, result: Result | undefined) => void;

/** The driver's outcome: rows, or what was changed. */
type Outcome = Row[] | { readonly affectedRows?: number };

function putOne(client: Client, { text, values, mostJson }: Query, told: Told): void {
  const done = (error: Error | null, outcome: Outcome = []): void => {
    if (error !== null) return told(error, undefined);
    if (!Array.isArray(outcome)) return told(undefined, { rows: [], rowCount: outcome.affectedRows ?? 0 });
    if (mostJson === undefined) return told(undefined, { rows: outcome, rowCount: outcome.length });
    if (isCut(outcome, mostJson)) return told(tooLarge(), undefined);
    told(undefined, { rows: outcome.map(asWritten), rowCount: outcome.length });
  };
  inTurn(client, (prepared) => {
    if (values === undefined) return client.query<Outcome>(text, done);
    const one = prepared.statements.get(text);
    if (one !== undefined) return one.execute<Outcome>(values.map(sent), done);
    // What comes behind waits for its name: where a statement can't be prepared, the server takes one without for the
    // last one that could.
    prepared.waiting = [];
    client.prepare(text, (error, made) => {
      const { waiting = [] } = prepared;
      prepared.waiting = undefined;
      if (made === undefined) done(error);
      else {
        keep(prepared, text, made);
        made.execute<Outcome>(values.map(sent), done);
      }
      for (const next of waiting) next();
    });
  });
}

/** The statements that a connection knows, the oldest first. */
interface PreparedOn {
  readonly statements: Map<string, Prepare>;
  /** What is put while one is being prepared. */
  waiting: (() => void)[] | undefined;
}

const MOST_STATEMENTS = 400;
const known = new WeakMap<object, PreparedOn>();

/** Does something with a connection once all that was put to it before is on its way. */
function inTurn(client: Client, work: (prepared: PreparedOn) => void): void {
  // A pool gives the same connection in another wrapping each time.
  const key = client.info ?? client;
  let prepared = known.get(key);
  if (prepared === undefined) known.set(key, (prepared = { statements: new Map(), waiting: undefined }));
  const all = prepared;
  if (all.waiting === undefined) work(all);
  else all.waiting.push(() => inTurn(client, work));
}

function keep({ statements }: PreparedOn, text: string, made: Prepare): void {
  statements.set(text, made);
  if (statements.size <= MOST_STATEMENTS) return;
  const [oldest, gone] = statements.entries().next().value!;
  statements.delete(oldest);
  gone.close();
}

/** The driver sends large whole numbers as doubles. */
const sent = (value: StoreValue): StoreValue =>
  typeof value === 'number' && Math.abs(value) > 2 ** 31 - 1 && Number.isSafeInteger(value) ? BigInt(value) : value;

/** Puts a statement to a connection, and what is asked behind it: all of it is on its way at once. */
export function put(client: Client, query: Query, told: Told): void {
  const { back, check } = query;
  if (back === undefined && check === undefined) return putOne(client, query, told);
  let failed: Error | undefined;
  let result: Result | undefined;
  const last = check ?? back;
  const noted =
    (of: Query): Told =>
    (error, found) => {
      failed ??= error;
      // What changed nothing has nothing to return.
      if (of === query) result = found;
      else if (of === back && result !== undefined && result.rowCount > 0) result = found;
      if (of === last) told(failed, failed === undefined ? result : undefined);
    };
  for (const one of [query, back, check]) if (one !== undefined) putOne(client, one, noted(one));
}

export const askOn = (client: Client, query: Query): Promise<Result> =>
  new Promise((resolve, reject) => {
    put(client, query, (error, result) => (error === undefined ? resolve(result!) : reject(error)));
  });

export const command = (client: Client, text: string): Promise<Result> => askOn(client, { text });

/** A connection with a socket that is known: what is put to it together can leave in one piece. */
export async function connectWire(settings: ConnectionConfig, broken: () => void): Promise<Wire<Query, Result>> {
  const socket = new Socket();
  const client = await connected({ ...settings, stream: streamTo(settings, () => socket) });
  client.on('error', broken).on('end', broken);
  return {
    put: (query, told) => put(client, query, told),
    inOnePiece(later) {
      socket.cork();
      later(() => socket.uncork());
    },
    breakOff: () => socket.destroy(),
    end: () => new Promise<void>((resolve) => client.end(() => resolve())),
  };
}
