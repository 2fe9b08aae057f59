import { createHash } from 'node:crypto';
import type { CodeKind } from '../model/identity.ts';
import type { Scalar } from '../model/scalar.ts';
import type { Dialect } from '../sql/dialect.ts';
import type { Reader, Transaction } from '../store/contract.ts';
import { codesTable, verifiedTable } from '../tables/own-tables.ts';

/** The codes that were sent to callers. Each is good once, until its time is over; only their digests are kept. */
export interface Codes {
  /** Keeps a new code. False where its caller has had so many of the kind in the last hour that no other is sent. */
  keep(transaction: Transaction, code: NewCode): Promise<boolean>;
  /** Whose a code is; undefined where it is wrong, was used, or is over. */
  find(reader: Reader, kind: CodeKind, code: string, now: Date): Promise<FoundCode | undefined>;
  /** Takes a code that was found, and with it all others of the kind; false where somebody else was quicker. */
  use(transaction: Transaction, kind: CodeKind, code: string, caller: string): Promise<boolean>;
  /** Notes that a caller has proved an address. */
  verify(transaction: Transaction, caller: Scalar, address: string): Promise<void>;
}

export interface NewCode {
  readonly kind: CodeKind;
  readonly code: string;
  readonly caller: Scalar;
  /** The address that it is sent to. */
  readonly address: string;
  readonly now: Date;
  readonly expires: Date;
}

export interface FoundCode {
  /** The caller's key, as text. */
  readonly caller: string;
  /** The digest of the address that it was sent to. */
  readonly address: string;
}

/** The most codes of one kind that a caller is sent in an hour, whoever asks for them. */
export const MOST_IN_AN_HOUR = 5;
const HOUR_MS = 3_600_000;

/** Bytes of a code: nobody guesses one. */
const CODE_BYTES = 24;

export const newCode = (random: (bytes: number) => Uint8Array): string =>
  Buffer.from(random(CODE_BYTES)).toString('base64url');

const digestOf = (what: string, text: string): string =>
  createHash('sha256').update(`vantfell ${what} ${text}`).digest('base64url');

/** A code is long and random, so a quick digest does. */
const codeDigest = (code: string): string => digestOf('code', code);

export const addressDigest = (address: string): string => digestOf('address', address);

export function makeCodes(dialect: Dialect): Codes {
  const statements = statementsOf(dialect);
  return {
    async keep(transaction, { kind, code, caller, address, now, expires }) {
      const hourAgo = new Date(now.getTime() - HOUR_MS).toISOString();
      await transaction.run(statements.prune, [now.toISOString(), hourAgo]);
      const [count] = (await transaction.first(statements.count, [String(caller), kind, hourAgo]))!;
      if (Number(count) >= MOST_IN_AN_HOUR) return false;
      const times = [now.toISOString(), expires.toISOString()];
      await transaction.run(statements.keep, [
        codeDigest(code),
        kind,
        String(caller),
        addressDigest(address),
        ...times,
      ]);
      return true;
    },

    async find(reader, kind, code, now) {
      const row = await reader.first(statements.find, [codeDigest(code), kind, now.toISOString()]);
      return row && { caller: String(row[0]), address: String(row[1]) };
    },

    async use(transaction, kind, code, caller) {
      // Those that are left still count for the hour: they only end.
      const isMine = (await transaction.run(statements.end, [codeDigest(code)])) > 0;
      if (isMine) await transaction.run(statements.endOthers, [caller, kind]);
      return isMine;
    },

    async verify(transaction, caller, address) {
      await transaction.run(statements.verify, [String(caller), addressDigest(address)]);
    },
  };
}

function statementsOf({ name, placeholder, onConflict }: Dialect) {
  const table = name(codesTable.name);
  const verified = name(verifiedTable.name);
  const [id, kind, caller, address, made, expires] = codesTable.columns.map((column) => name(column.name)) as [
    string,
    string,
    string,
    string,
    string,
    string,
  ];
  const [first, second, third] = [1, 2, 3].map(placeholder) as [string, string, string];
  // One that ends stays for the hour, with a time that is over: how many were sent is counted by it.
  const ended = `UPDATE ${table} SET ${expires} = ''`;
  return {
    prune: { sql: `DELETE FROM ${table} WHERE ${expires} < ${first} AND ${made} < ${second}` },
    count: {
      sql: `SELECT count(*) FROM ${table} WHERE ${caller} = ${first} AND ${kind} = ${second} AND ${made} >= ${third}`,
    },
    keep: {
      sql:
        `INSERT INTO ${table} (${[id, kind, caller, address, made, expires].join(', ')}) ` +
        `VALUES (${[1, 2, 3, 4, 5, 6].map(placeholder).join(', ')})`,
    },
    find: {
      sql:
        `SELECT ${caller}, ${address} FROM ${table} ` +
        `WHERE ${id} = ${first} AND ${kind} = ${second} AND ${expires} > ${third}`,
    },
    end: { sql: `${ended} WHERE ${id} = ${first} AND ${expires} <> ''` },
    endOthers: { sql: `${ended} WHERE ${caller} = ${first} AND ${kind} = ${second}` },
    verify: {
      sql:
        `INSERT INTO ${verified} (${caller}, ${address}) VALUES (${first}, ${second}) ` +
        onConflict([caller], { [address]: (inserted) => inserted }),
    },
  };
}
