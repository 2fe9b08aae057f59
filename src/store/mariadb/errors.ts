import { StoreError } from '../../core/store/contract.ts';
import { otherHand } from '../base/options.ts';

/** What MariaDB's errors are about, by their numbers. */
const NUMBERS = {
  taken: [1062, 1586],
  reference: [1216, 1217, 1451, 1452],
  tooLong: [1406],
  /** A statement or a wait took too long, or was ended: 6 where a temporary table of it was not yet in its file. */
  busy: [1205, 1213, 1020, 1412, 1317, 1969, 3024, 6, 1305],
  cutOff: [1969, 1317, 6],
  /** 1305: a savepoint that went with its transaction, which another one has taken back. */
  passing: [1213, 1020, 1412, 1305],
  tooLarge: [1153, 1301, 1162, 1256],
  /** The stack, or the number of tables or levels, that a statement needs. */
  tooComplex: [1436, 1116, 1473, 1104, 4038],
  /** Tables, columns, rules and triggers that are not as the tool has made them. */
  altered: [1146, 1054, 4025, 1048, 1364, 1644, 1050, 1060, 1061, 1091, 1292, 1366, 1264, 1265],
  /** A value that a column, a check or a trigger does not take. */
  ofValue: [4025, 1048, 1364, 1644, 1292, 1366, 1264, 1265, 1267],
  unknownDatabase: [1049],
  denied: [1044, 1045, 1698, 1142, 1143, 1227, 1370],
  full: [1040, 1203, 1226],
  disk: [1021, 1114, 1030, 3],
  readOnly: [1290, 1836],
  notReady: [1047],
} as const;

type Kind = keyof typeof NUMBERS;

interface DriverError {
  readonly errno?: number;
  readonly sqlMessage?: string | null;
  readonly code?: string;
  readonly message?: string;
  readonly fatal?: boolean;
}

const isOf = (kind: Kind, error: unknown): boolean =>
  (NUMBERS[kind] as readonly (number | undefined)[]).includes((error as DriverError).errno);

/** What MariaDB or its driver threw, in the words of the store contract. */
export function storeError(error: unknown, address: string): StoreError {
  if (error instanceof StoreError) return error;
  const { sqlMessage, message: whole = String(error) } = error as DriverError;
  const message = sqlMessage ?? whole;
  if (isOf('reference', error)) return new StoreError({ kind: 'foreign-key' }, message, '', error);
  if (isOf('tooLong', error)) {
    const column = /column '([^']*)'/.exec(message)?.[1];
    const columns = column === undefined ? [] : [column];
    return new StoreError({ kind: 'too-long', columns }, message, 'make it shorter, or say maxLength', error);
  }
  if (isOf('busy', error)) {
    return new StoreError({ kind: 'busy' }, `the database ${address} is busy`, 'try again in a moment', error);
  }
  if (isOf('tooLarge', error)) return tooLarge(error);
  if (isOf('tooComplex', error)) return new StoreError({ kind: 'too-complex' }, message, '', error);
  const remedy = remedyOf(error, address);
  if (remedy !== undefined) {
    const text = `the database ${address} can not be used: ${message}`;
    return new StoreError({ kind: 'unreachable' }, text, remedy, error);
  }
  const ofValue = isOf('ofValue', error) ? namedIn(message) : undefined;
  if (isOf('altered', error)) return new StoreError({ kind: 'refused', ofValue }, message, otherHand, error);
  return new StoreError({ kind: 'defect', ofValue }, message, 'this is a defect of vantfell: please report it', error);
}

/** The rule or the column that a message names. */
const namedIn = (message: string): string =>
  /(?:CONSTRAINT|Column|Field) [`']([^`']+)[`']/.exec(message)?.[1] ??
  /column (?:`[^`]*`\.`[^`]*`\.)?[`']([^`']+)[`']/.exec(message)?.[1] ??
  '';

/** More than a packet of the server holds, or an answer that it would have cut. */
export const tooLarge = (cause?: unknown): StoreError =>
  new StoreError(
    { kind: 'too-large' },
    'more than the database takes or gives at once',
    'ask for less, or raise max_allowed_packet of the server',
    cause,
  );

/** What to do where the database can't be had at all; undefined for any other error. */
function remedyOf(error: unknown, address: string): string | undefined {
  const name = address.split('/').at(-1)?.split('?')[0];
  if (isOf('unknownDatabase', error)) {
    return `make it, as with CREATE DATABASE ${name}; or name another with store: in vantfell.yaml`;
  }
  if (isOf('denied', error)) {
    return 'see to the user, the password and the rights of store: in vantfell.yaml, or to MARIADB_PASSWORD';
  }
  if (isOf('full', error)) return 'it has as many connections as it takes: close some, or raise its max_connections';
  if (isOf('disk', error)) return 'its disk is full: make room, and try again';
  if (isOf('readOnly', error)) return 'it takes no writes: name the primary, or see to its read_only';
  if (isOf('notReady', error)) return 'this node of the cluster is not in step with the others: wait, or name another';
  return isGone(error)
    ? 'start MariaDB (where systemd runs it: systemctl start mariadb), or see to its address; ' +
        'meanwhile store: sqlite:./data.db needs no server'
    : undefined;
}

/** Numbers of the driver's own begin here. */
const OF_DRIVER = 45_000;
const ENDED = [1053, 1077, 1078, 1079, 1080, 1158, 1159, 1160, 1161, 1927, 2006, 2013];

/** The server is not there, or the connection has gone. */
function isGone(error: unknown): boolean {
  const { errno = 0, code = '', fatal } = error as DriverError;
  if (/^(ECONN|ENOTFOUND|EAI_|EHOSTUNREACH|ENETUNREACH|ETIMEDOUT|EPIPE)/.test(code)) return true;
  return fatal === true || ENDED.includes(errno) || errno >= OF_DRIVER;
}

/** Whether a server gives no more connections. */
export const isFull = (error: unknown): boolean => isOf('full', error);

/** Whether the server or the driver threw it. */
export const isOfDriver = (error: unknown): boolean => typeof (error as DriverError | undefined)?.errno === 'number';

const causeOf = (error: unknown): unknown => (error instanceof StoreError ? error.cause : error);
const isCaused = (kind: Kind, error: unknown): boolean => {
  const cause = causeOf(error);
  return typeof cause === 'object' && cause !== null && isOf(kind, cause);
};

export const isTaken = (error: unknown): boolean => isCaused('taken', error);

/** Whether the server ended a statement because it took too long. */
export const isCutOff = (error: unknown): boolean => isCaused('cutOff', error);

/** Whether a transaction that failed in this way may succeed when it is run again: the server has taken it back. */
export const isPassing = (error: unknown): boolean => isCaused('passing', error);

/** Whether the connection was lost with what was sent over it. */
export const isLost = (error: unknown): boolean =>
  error instanceof StoreError && (error.fault.kind === 'unreachable' || error.fault.kind === 'uncertain');

/** Whether a wait for tables or rows was given up. */
export const isLockFault = (error: unknown): boolean => (causeOf(error) as DriverError | undefined)?.errno === 1205;
