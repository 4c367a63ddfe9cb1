// Looking at the data for each request, once for all that come meanwhile.

/**
 * Runs a look for whoever asks. A look that has begun may have missed what came after: those who ask while one runs share the
 * next, which begins when it ends.
 */
export const sharedLook = <T>(look: () => Promise<T>): (() => Promise<T>) => {
  let running: Promise<T> | undefined;
  let next: Promise<T> | undefined;
  const begin = (): Promise<T> => {
    next = undefined;
    const own = look().finally(() => {
      if (running === own) running = undefined;
    });
    running = own;
    return own;
  };
  return () => {
    if (!running) return begin();
    next ??= running.then(begin, begin);
    return next;
  };
};
