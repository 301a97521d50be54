/** Something the person at the terminal has to put right; carries its exit code. */
export class UsageError extends Error {
  readonly exit: number;

  constructor(message: string, exit = 2) {
    super(message);
    this.exit = exit;
  }
}
