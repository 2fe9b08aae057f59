import { COLLATION } from './bound.ts';

/**
 * How the driver gives values: whole numbers as numbers, decimals, dates and times as texts, JSON as it is written;
 * rows as arrays.
 */
export const DRIVER = {
  rowsAsArray: true,
  bigIntAsNumber: true,
  insertIdAsNumber: true,
  dateStrings: true,
  autoJsonMap: false,
  bitOneIsBoolean: false,
  // Statements are prepared and kept by ourselves.
  prepareCacheLength: 0,
} as const;

/** What every connection begins with: quotes as in standard SQL, nothing that is made to fit, one order of letters. */
export const SESSION: readonly string[] = [
  `SET NAMES utf8mb4 COLLATE ${COLLATION}`,
  "SET SESSION sql_mode = 'ANSI_QUOTES,PIPES_AS_CONCAT,NO_BACKSLASH_ESCAPES,STRICT_ALL_TABLES,NO_ZERO_DATE," +
    "NO_ZERO_IN_DATE,NO_AUTO_VALUE_ON_ZERO,NO_ENGINE_SUBSTITUTION'",
  "SET SESSION time_zone = '+00:00'",
  // What is longer is noticed: see `TOO_LONG`.
  'SET SESSION group_concat_max_len = 1073741824',
  'SET SESSION TRANSACTION ISOLATION LEVEL READ COMMITTED',
];

/** A statement is given up after so many milliseconds; never, where it is 0. */
export const statementLimit = (milliseconds: number): string =>
  `SET SESSION max_statement_time = ${milliseconds / 1_000}`;

/** Statements belong to a transaction until it is ended, and row locks are waited for so long. */
export const ofTransactions = (longest: number): readonly string[] => [
  'SET SESSION autocommit = 0',
  `SET SESSION innodb_lock_wait_timeout = ${Math.max(1, Math.ceil(longest / 1_000))}`,
];

/** A node of a cluster answers once it has what the others had kept by then. */
export const IN_STEP = 'SET SESSION wsrep_sync_wait = 1';
