/** An error with a message for the artist: it names the thing, the place and the remedy. */
export class DaxelError extends Error {
  /**
   * @param code a stable word for programs, such as `bad-file`
   * @param message one line for the artist; what it quotes of a file may hold anything
   * @param details for the log only
   */
  constructor(
    readonly code: string,
    message: string,
    readonly details?: unknown,
  ) {
    super(oneLine(message));
    this.name = 'DaxelError';
  }
}

/** A file that cannot be used. */
export class BadFileError extends DaxelError {
  constructor(file: string, problem: string, remedy: string, details?: unknown) {
    super('bad-file', `${file}: ${problem}. ${remedy}`, details);
    this.name = 'BadFileError';
  }
}

/** An argument, setting or request that cannot be used. */
export class BadInputError extends DaxelError {
  constructor(message: string, details?: unknown) {
    super('bad-input', message, details);
    this.name = 'BadInputError';
  }
}

/** Characters that end a line, or are none, become spaces. */
function oneLine(text: string): string {
  return text.replace(/[\p{Cc}\u2028\u2029]+/gu, ' ');
}
