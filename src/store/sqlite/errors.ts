import { StoreError } from '../../core/store/contract.ts';
import { otherHand } from '../base/options.ts';

/**
 * Tables, columns, rules and triggers that are not as the tool has made them: the tool itself never uses missing
 * ones.
 */
const ALTERED = /^(SQLITE_CONSTRAINT_(CHECK|NOTNULL|TRIGGER)|no such (table|column)|table .* has no column)/;

/** What SQLite threw, in the words of the store contract. */
export function storeError(error: unknown, file: string): StoreError {
  if (error instanceof StoreError) return error;
  const { code = '', message = String(error) } = error as { code?: string; message?: string };

  if (code === 'SQLITE_CONSTRAINT_UNIQUE' || code === 'SQLITE_CONSTRAINT_PRIMARYKEY') {
    return new StoreError({ kind: 'unique', ...alikeIn(message) }, message, '', error);
  }
  if (code.startsWith('SQLITE_CONSTRAINT') && message.includes('FOREIGN KEY')) {
    return new StoreError({ kind: 'foreign-key' }, message, '', error);
  }
  if (code.startsWith('SQLITE_BUSY') || code.startsWith('SQLITE_LOCKED')) {
    const remedy = 'wait for the other program that writes to it, or stop that program';
    return new StoreError({ kind: 'busy' }, `the database ${file} is locked`, remedy, error);
  }
  if (
    /^SQLITE_(CANTOPEN|IOERR|READONLY|FULL|NOTADB|CORRUPT|PERM)/.test(code) ||
    /unable to open|not a database/i.test(message)
  ) {
    const remedy = code.startsWith('SQLITE_FULL')
      ? 'its disk is full: make room, and try again'
      : 'see that the folder exists and can be written to, and that the file is an SQLite database';
    return new StoreError({ kind: 'unreachable' }, `the database ${file} can not be used: ${message}`, remedy, error);
  }
  if (message.includes('parser stack overflow')) return new StoreError({ kind: 'too-complex' }, message, '', error);
  if (ALTERED.test(code) || ALTERED.test(message)) {
    const [, ofValue] = /^(?:CHECK|NOT NULL) constraint failed: (.*)$/s.exec(message) ?? [];
    return new StoreError(
      { kind: 'refused', ofValue: ofValue ?? (code.endsWith('TRIGGER') ? '' : undefined) },
      message,
      otherHand,
      error,
    );
  }
  return new StoreError({ kind: 'defect' }, message, 'this is a defect of vantfell: please report it', error);
}

/** `UNIQUE constraint failed: order lines.valley, order lines.name`: names may have all but dots in them. */
function alikeIn(message: string): { readonly table: string; readonly columns: readonly string[] } {
  const [, table = '', rest = ''] = /^[^:]*: ([^.]*)\.(.*)$/s.exec(message) ?? [];
  return { table, columns: rest.split(`, ${table}.`) };
}
