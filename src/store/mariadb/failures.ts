import { StoreError } from '../../core/store/contract.ts';
import { errorsOf } from '../base/moved.ts';
import type { Query, Queryable } from './ask.ts';
import { isTaken, storeError } from './errors.ts';
import { saysMoved } from './tables-mark.ts';

/** Turns what the driver throws into errors of the store contract. */
export interface Failures {
  of(error: unknown): StoreError;
  /** The same of a statement: which columns are unique is looked up, and whether the tables are others now. */
  ofStatement(error: unknown, text: string): Promise<StoreError>;
}

interface FailuresOptions {
  readonly address: string;
  readonly reads: Queryable;
  /** What fails once the tables have moved on; undefined where nobody is held to them. */
  check(): Query | undefined;
  /** Called at the first sign that a migration has changed the tables. */
  readonly onMoved: (() => void) | undefined;
}

export function failuresOf({ address, reads, check, onMoved }: FailuresOptions): Failures {
  const of = errorsOf({ address, saysMoved, storeError, onMoved });
  return {
    of,
    async ofStatement(error, text) {
      if (isTaken(error)) return takenError(error, text, reads).catch(of);
      const found = of(error);
      const looked = check();
      if (looked === undefined || !['refused', 'defect'].includes(found.fault.kind)) return found;
      return reads.query(looked).then(
        () => found,
        (other: unknown) => (saysMoved(other) ? of(other) : found),
      );
    },
  };
}

/** The table that a statement changes. */
const CHANGED = /^\s*(?:INSERT\s+INTO|UPDATE)\s+(?:"((?:[^"]|"")*)"|(\w+))/i;

const COLUMNS =
  'SELECT COLUMN_NAME FROM information_schema.STATISTICS WHERE TABLE_SCHEMA = database() ' +
  'AND TABLE_NAME = ? AND INDEX_NAME = ? ORDER BY SEQ_IN_INDEX';

/** `Duplicate entry 'Askdal-Grey Hut' for key 'huts_unique_valley_name'` names the index alone. */
async function takenError(error: unknown, text: string, reads: Queryable): Promise<StoreError> {
  const { message, sqlMessage } = error as Error & { readonly sqlMessage?: string };
  const [, quoted, bare = ''] = CHANGED.exec(text) ?? [];
  const table = quoted?.replaceAll('""', '"') ?? bare;
  const key = /for key '(.*)'$/s.exec(sqlMessage ?? message)?.[1] ?? '';
  const { rows } = await reads.query({ text: COLUMNS, values: [table, key] });
  const columns = rows.map(([column]) => String(column));
  return new StoreError({ kind: 'unique', table, columns }, sqlMessage ?? message, '', error);
}
