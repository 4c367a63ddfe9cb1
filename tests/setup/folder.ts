import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';

const made: string[] = [];
process.once('exit', () => {
  for (const folder of made) rmSync(folder, { recursive: true, force: true });
});

/** A new folder with these files, removed when the process ends. */
export const makeFolder = (files: Readonly<Record<string, string | Uint8Array>> = {}): string => {
  const folder = mkdtempSync(join(tmpdir(), 'durchblick-'));
  made.push(folder);
  for (const [name, content] of Object.entries(files)) {
    mkdirSync(dirname(join(folder, name)), { recursive: true });
    writeFileSync(join(folder, name), content);
  }
  return folder;
};
