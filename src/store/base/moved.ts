import type { StoreError } from '../../core/store/contract.ts';
import { tablesMoved } from './options.ts';

interface MovedOptions {
  readonly address: string;
  /** Whether an error says that a migration has changed the tables. */
  saysMoved(error: unknown): boolean;
  /** What any other error is, in the words of the store contract. */
  storeError(error: unknown, address: string): StoreError;
  /** Called at the first sign that a migration has changed the tables. */
  readonly onMoved: (() => void) | undefined;
}

/** Turns what a driver throws into errors of the store contract. */
export function errorsOf({ address, saysMoved, storeError, onMoved }: MovedOptions): (error: unknown) => StoreError {
  let isMoved = false;
  return (error) => {
    if (!saysMoved(error)) return storeError(error, address);
    if (!isMoved) onMoved?.();
    isMoved = true;
    return tablesMoved(address);
  };
}
