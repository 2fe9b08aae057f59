import type { Move } from '../../core/tables/schema-diff.ts';
import { moveSql } from '../sql/move.ts';
import { conversions } from './tables.ts';

/** A random UUID (RFC 9562, version 4). */
const UUID =
  "lower(hex(randomblob(4)) || '-' || hex(randomblob(2)) || '-4' || substr(hex(randomblob(2)), 2) || '-' ||" +
  " substr('89ab', 1 + abs(random() % 4), 1) || substr(hex(randomblob(2)), 2) || '-' || hex(randomblob(6)))";

export const moveStatements = (move: Move): string[] => moveSql(move, { ...conversions, uuid: UUID });
