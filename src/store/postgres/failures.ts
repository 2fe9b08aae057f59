import type pg from 'pg';
import { StoreError } from '../../core/store/contract.ts';
import { errorsOf } from '../base/moved.ts';
import { storeError } from './errors.ts';
import type { PreparedStatements } from './prepared.ts';
import { heldCheck, saysMoved } from './tables-mark.ts';

/** Turns what the driver throws into errors of the store contract. */
export interface Failures {
  of(error: unknown): StoreError;
  /** The same of a statement, whose own error says little where a migration has changed the tables. */
  ofStatement(error: unknown): Promise<StoreError>;
}

/** `onMoved` is called at the first sign that a migration has changed the tables. */
export function failuresOf(
  address: string,
  reading: pg.Pool,
  prepared: PreparedStatements,
  onMoved: (() => void) | undefined,
): Failures {
  const of = errorsOf({ address, saysMoved, storeError, onMoved });
  return {
    of,
    async ofStatement(error) {
      const found = of(error);
      if (prepared.held === undefined || !['refused', 'defect'].includes(found.fault.kind)) return found;
      const moved = await reading.query(heldCheck(prepared.held)).then(
        () => undefined,
        (other: unknown) => (saysMoved(other) ? of(other) : undefined),
      );
      return moved ?? found;
    },
  };
}

/** Whether the connection was lost with what was sent over it. */
export const isLost = (error: unknown): boolean =>
  error instanceof StoreError && (error.fault.kind === 'unreachable' || error.fault.kind === 'uncertain');
