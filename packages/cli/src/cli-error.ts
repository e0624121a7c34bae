/** Exit codes, the same for every command. */
export const EXIT = { fine: 0, checkFailed: 1, wrongInput: 2, unreachable: 3 } as const;
export type ExitCode = (typeof EXIT)[keyof typeof EXIT];

/** Ends a command with a message for the person who typed it. */
export class Failure extends Error {
  constructor(
    message: string,
    readonly exitCode: ExitCode = EXIT.wrongInput,
    /** The fix, as a full sentence. */
    readonly hint?: string,
  ) {
    super(message);
  }
}
