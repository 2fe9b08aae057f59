/** Exit codes of the command line. */
export const EXIT = { done: 0, foundWrong: 1, wrongCommand: 2, options: 3, defect: 4 } as const;

/** Something that stops a command and that its user can fix. It is shown without a stack trace. */
export class Failure extends Error {
  readonly exit: number;
  readonly remedy: string;

  constructor(exit: number, message: string, remedy: string) {
    super(message);
    this.name = 'Failure';
    this.exit = exit;
    this.remedy = remedy;
  }
}
