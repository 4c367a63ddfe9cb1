// Tags a folder as a cache (Cache Directory Tagging Specification), so that file patterns skip it.
import { open, writeFile } from 'node:fs/promises';
import { join } from 'node:path';

const NAME = 'CACHEDIR.TAG';
const SIGNATURE = 'Signature: 8a477f597d28d172789f06886806bc55';

export const writeCacheTag = (folder: string): Promise<void> =>
  writeFile(join(folder, NAME), `${SIGNATURE}\n# Typed copies of data files; may be deleted at any time.\n`, { flag: 'wx' }).catch(
    (error: unknown) => {
      if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
    },
  );

export const isCacheFolder = async (folder: string): Promise<boolean> => {
  const handle = await open(join(folder, NAME)).catch(() => undefined);
  if (!handle) return false;
  try {
    const bytes = Buffer.alloc(SIGNATURE.length);
    await handle.read(bytes, 0, SIGNATURE.length, 0);
    return bytes.toString('latin1') === SIGNATURE;
  } finally {
    await handle.close();
  }
};
