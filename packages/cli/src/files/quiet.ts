/** How long input has to pause before what waits is taken as all there is for now, in milliseconds. */
export const QUIET_MS = 1000;

/** Marks in a stream that nothing came for `QUIET_MS`, once a pause. */
export const QUIET = Symbol('quiet');

/** Answers what is there first: the promise, or `QUIET` after a pause. */
export async function orQuiet<T>(promise: Promise<T>, pauseMs = QUIET_MS): Promise<T | typeof QUIET> {
  let timer: NodeJS.Timeout | undefined;
  const pause = new Promise<typeof QUIET>((resolve) => (timer = setTimeout(() => resolve(QUIET), pauseMs)));
  try {
    return await Promise.race([promise, pause]);
  } finally {
    clearTimeout(timer);
  }
}

/** The items of a stream, and where it pauses that it does. */
export async function* withQuiet<T>(source: AsyncIterable<T>, pauseMs = QUIET_MS): AsyncGenerator<T | typeof QUIET> {
  const iterator = source[Symbol.asyncIterator]();
  for (;;) {
    const next = iterator.next();
    let answer = await orQuiet(next, pauseMs);
    if (answer === QUIET) {
      yield QUIET;
      answer = await next;
    }
    if (answer.done) return;
    yield answer.value;
  }
}
