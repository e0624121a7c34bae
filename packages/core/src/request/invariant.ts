/**
 * Throws when something that our own code guarantees does not hold. Never used for input.
 * @throws Error with the text, always a defect of this program.
 */
export function invariant(condition: unknown, text: string): asserts condition {
  if (!condition) throw new Error(`Internal error: ${text}. Please report this with what you did.`);
}
