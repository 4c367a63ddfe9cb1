/** Keeps what a key was made of, once; what fails is forgotten, so that it is tried again. */
export const once = <T>(known: Map<string, Promise<T>>, key: string, make: () => Promise<T>): Promise<T> => {
  const found = known.get(key);
  if (found) return found;
  const made = make();
  known.set(key, made);
  made.catch(() => {
    if (known.get(key) === made) known.delete(key);
  });
  return made;
};
