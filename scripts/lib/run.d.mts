/** Cleans up when this process is interrupted, which then ends. */
export function onInterrupt(cleanUp: () => Promise<unknown>): void;
