/** Opens a file of a model by its path as the model writes it. Rejects when there is none. */
export type Files = (path: string) => Promise<Uint8Array>;

/** Files below a URL, for browsers: paths are resolved against it. */
export const urlFiles =
  (base: string | URL): Files =>
  async (path) => {
    const response = await fetch(new URL(path, base));
    if (!response.ok) throw new Error(`${response.status} ${response.statusText}`);
    return new Uint8Array(await response.arrayBuffer());
  };
