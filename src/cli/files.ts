import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { EXIT, Failure } from '../project/failure.ts';

/** The text of a file that an option names; `remedy` says what else to name. */
export function readGiven(file: string, remedy: string): string {
  try {
    return readFileSync(file, 'utf8');
  } catch (error) {
    throw new Failure(EXIT.options, `${file} can not be read: ${(error as Error).message}`, remedy);
  }
}

/** Writes a file that an option names. */
export function writeGiven(file: string, text: string, remedy: string): void {
  try {
    writeFileSync(file, text);
  } catch (error) {
    throw unwritable(file, error, remedy);
  }
}

/** Makes a folder that an option names. */
export function makeGiven(folder: string, remedy: string): void {
  try {
    mkdirSync(folder, { recursive: true });
  } catch (error) {
    throw unwritable(folder, error, remedy);
  }
}

export const unwritable = (file: string, error: unknown, remedy: string): Failure =>
  new Failure(EXIT.options, `${file} can not be written: ${(error as Error).message}`, remedy);
