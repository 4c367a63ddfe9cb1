// Files below a folder, for Node.js: nothing outside of it, no address, and a pattern only where no file has that very name.
import { open, readdir, readFile, realpath, stat } from 'node:fs/promises';
import { dirname, isAbsolute, relative, resolve, sep } from 'node:path';
import { fingerprint } from '../basics/fingerprint.ts';
import { compareTexts } from '../basics/text.ts';
import { DurchblickError } from '../errors.ts';
import { isCacheFolder } from './cache-tag.ts';
import { checkPath, type Files, outsideFolder } from './files.ts';
import { PATTERN } from './missing.ts';
import { matchName } from './wildcard.ts';

export interface FolderOptions {
  /** Further folders that files may lie in, symbolic links resolved. */
  readonly allow?: readonly string[];
}

/** Files of rows, by the ends of their names. */
const ROWS = /\.(csv|csv\.gz|parquet|json|ndjson|jsonl|json\.gz|ndjson\.gz|jsonl\.gz|arrow|feather|xlsx)$/i;

export interface FoundFile {
  /** How it is named relative to the folder, as the model would. */
  readonly name: string;
  /** Where it lies, symbolic links resolved. */
  readonly real: string;
}

export interface FolderFiles extends Files {
  readonly home: string;
  /** Folders that files may lie in, symbolic links resolved. */
  readonly roots: () => Promise<readonly string[]>;
  /** The files that a path stands for. */
  readonly find: (path: string) => Promise<readonly FoundFile[]>;
  readonly list: (path: string) => Promise<readonly string[]>;
  readonly state: (path: string) => Promise<string>;
}

const codeOf = (error: unknown): string | undefined => (error as NodeJS.ErrnoException).code;

/** Limit of `**` in one pattern; more would match nothing else. */
const MAX_DEEP_STEPS = 4;

/**
 * Files that match a pattern, sorted by name; `**` matches folders of any depth. Hidden folders and cache folders are skipped.
 */
const matchFiles = async (base: string, steps: readonly string[]): Promise<string[]> => {
  const plain = steps.filter((step, k) => step !== '**' || steps[k - 1] !== '**');
  if (plain.filter((step) => step === '**').length > MAX_DEEP_STEPS)
    throw new DurchblickError('bad-path', `"${steps.join('/')}" contains ** more than ${MAX_DEEP_STEPS} times`, {
      hint: 'One ** matches folders of any depth.',
    });
  const tests = plain.map((step) => (PATTERN.test(step) ? matchName(step) : undefined));
  const found = new Set<string>();
  const visited = new Set<string>();
  const visit = async (path: string, at: number): Promise<void> => {
    if (visited.has(`${at} ${path}`)) return;
    visited.add(`${at} ${path}`);
    if (at === plain.length) {
      found.add(path);
      return;
    }
    const [step, test] = [plain[at], tests[at]];
    if (!test) {
      const next = resolve(path, step);
      const exists = await stat(next).then(
        () => true,
        () => false,
      );
      if (exists) await visit(next, at + 1);
      return;
    }
    if (await isCacheFolder(path)) return;
    const entries = (await readdir(path, { withFileTypes: true }).catch(() => [])).sort((a, b) => compareTexts(a.name, b.name));
    if (step === '**') await visit(path, at + 1);
    for (const entry of entries) {
      const next = resolve(path, entry.name);
      if (entry.name.startsWith('.')) continue;
      if (step !== '**') {
        if (test(entry.name)) await visit(next, at + 1);
      } else if (entry.isDirectory()) await visit(next, at);
    }
  };
  await visit(base, 0);
  return [...found];
};

/** Whether a real path is a folder or lies below it. */
export const isInside = (path: string, root: string): boolean => {
  const way = relative(root, path);
  return way === '' || !(way === '..' || way.startsWith(`..${sep}`) || isAbsolute(way));
};

/** So many bytes at both ends of a file stand for it. */
const END_BYTES = 4096;

/** A sum of a file's first and last bytes, beside its size and time (V5). */
const sumOfEnds = async (real: string, size: number): Promise<string> => {
  const handle = await open(real);
  try {
    const bytes = Buffer.alloc(Math.min(size, 2 * END_BYTES));
    await handle.read(bytes, 0, Math.min(size, END_BYTES), 0);
    if (size > END_BYTES) await handle.read(bytes, END_BYTES, bytes.length - END_BYTES, Math.max(END_BYTES, size - END_BYTES));
    return fingerprint(bytes.toString('latin1'));
  } finally {
    await handle.close();
  }
};

const noFile = (path: string, why: string, hint = 'Paths are relative to the model file.'): DurchblickError =>
  new DurchblickError('no-file', `cannot read ${path} (${why})`, { hint });

/** The folder of a model, and those that are allowed beside it. */
interface Bounds {
  readonly home: string;
  /** The same as written, absolute. */
  readonly named: readonly string[];
}

/** Where they really are. */
const rootsOf = ({ named }: Bounds): Promise<string[]> => Promise.all(named.map((own) => realpath(own).catch(() => own)));

/** The real path of something that is there; it must not lead out, whether by `..` or by a link. */
const inside = async (bounds: Bounds, path: string, written: string): Promise<string> => {
  const real = await realpath(path);
  if (!(await rootsOf(bounds)).some((root) => isInside(real, root))) throw outsideFolder(written, bounds.home);
  return real;
};

const plainFile = async (bounds: Bounds, path: string, written: string): Promise<string> => {
  const real = await inside(bounds, path, written);
  const seen = await stat(real);
  // A pipe or a device may never end.
  if (!seen.isFile()) throw noFile(written, seen.isDirectory() ? 'it is a folder' : 'it is no plain file');
  if (await isCacheFolder(dirname(real))) throw noFile(written, 'it is in a cache folder', 'Name the file that it was made from.');
  return real;
};

const isFolder = async (bounds: Bounds, path: string, written: string): Promise<boolean> =>
  stat(path).then(
    async (seen) => seen.isDirectory() && (await inside(bounds, path, written)) !== '',
    () => false,
  );

/** Plain files below a folder whose path meets a pattern, and whose name meets a condition. */
const filesBy = async (
  bounds: Bounds,
  base: string,
  steps: readonly string[],
  written: string,
  counts: (name: string) => boolean,
): Promise<readonly FoundFile[]> => {
  const files: FoundFile[] = [];
  for (const match of await matchFiles(base, steps)) {
    const name = isAbsolute(written) ? match : relative(bounds.home, match);
    if (!counts(name)) continue;
    const real = await inside(bounds, match, name);
    if ((await stat(real)).isFile()) files.push({ name, real });
  }
  return files;
};

/** A folder stands for all files of rows in it and below it. */
const filesBelow = async (bounds: Bounds, path: string, written: string): Promise<readonly FoundFile[]> => {
  const files = await filesBy(bounds, path, ['**', '*'], written, (name) => ROWS.test(name));
  const kinds = [...new Set(files.map(({ name }) => (ROWS.exec(name)?.[0] ?? '').toLowerCase()))].sort();
  if (kinds.length > 1)
    throw noFile(
      written,
      `it is a folder with files of several kinds: ${kinds.join(', ')}`,
      `Name them by a pattern: ${written}/**/*${kinds[0]}`,
    );
  return files;
};

const filesNamed = async (bounds: Bounds, written: string): Promise<readonly FoundFile[]> => {
  checkPath(written);
  const path = resolve(bounds.home, written);
  if (await isFolder(bounds, path, written)) {
    const below = await filesBelow(bounds, path, written);
    if (below.length > 0) return below;
  }
  try {
    return [{ name: written, real: await plainFile(bounds, path, written) }];
  } catch (error) {
    if (error instanceof DurchblickError) throw error;
    if (codeOf(error) !== 'ENOENT' && codeOf(error) !== 'ENOTDIR') throw noFile(written, codeOf(error) ?? String(error));
  }
  // Not told what lies outside: whether there is such a file is nobody's business.
  const named = [...bounds.named, ...(await rootsOf(bounds))];
  if (!named.some((root) => isInside(path, root))) throw outsideFolder(written, bounds.home);
  if (!PATTERN.test(written)) throw noFile(written, 'there is no such file');
  const steps = path.split(sep);
  const base = steps.findIndex((step) => PATTERN.test(step));
  const files = await filesBy(bounds, steps.slice(0, base).join(sep) || sep, steps.slice(base), written, () => true);
  if (files.length === 0) throw noFile(written, 'no file has that name, and none matches it as a pattern');
  return files;
};

/** Files below a folder, and below those that are allowed beside it. */
export const folderFiles = (folder: string, { allow = [] }: FolderOptions = {}): FolderFiles => {
  const home = resolve(folder);
  const bounds: Bounds = { home, named: [home, ...allow.map((own) => resolve(own))] };
  const ends = new Map<string, { readonly seen: string; readonly sum: string }>();
  const stateOf = async ({ real }: FoundFile): Promise<string> => {
    const { size, mtimeNs, ino, dev } = await stat(real, { bigint: true });
    const seen = `${real}:${size}:${mtimeNs}:${ino}:${dev}`;
    // Looked at again only where the rest has changed: each question asks.
    const known = ends.get(real);
    const own = known?.seen === seen ? known : { seen, sum: await sumOfEnds(real, Number(size)) };
    ends.set(real, own);
    return `${seen}:${own.sum}`;
  };
  const read = async (written: string): Promise<Uint8Array> => {
    const [file, ...more] = await filesNamed(bounds, written);
    if (more.length > 0) throw noFile(written, 'it stands for several files');
    return readFile(file.real);
  };
  return Object.assign(read, {
    home,
    roots: () => rootsOf(bounds),
    find: (written: string) => filesNamed(bounds, written),
    list: async (written: string) => (await filesNamed(bounds, written)).map(({ name }) => name),
    state: async (written: string) => (await Promise.all((await filesNamed(bounds, written)).map(stateOf))).join('\n'),
  });
};

/** The folder that a file lies in. */
export const folderOf = (file: string): string => dirname(resolve(file));
