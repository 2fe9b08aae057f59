import { EXIT, Failure } from '../project/failure.ts';

/** Makes the files of a new project. Throws where the folder cannot be made. */
export function place(shown: string, make: () => void): void {
  try {
    make();
  } catch (error) {
    throw new Failure(EXIT.options, `${shown} can not be made: ${(error as Error).message}`, 'name another folder');
  }
}
