// Why a file cannot be read, and what to do about it, for Node.js.
import { readdir } from 'node:fs/promises';
import { basename, dirname, extname, resolve } from 'node:path';
import { DurchblickError, suggest, type TextPlace } from '../errors.ts';

/** What a name that leads to no file looks like. */
export const PATTERN = /[*?[\]]/;
const ADDRESS = /^[a-z][a-z0-9+.-]*:\/\//i;

const WHY: Readonly<Record<string, string>> = {
  ENOENT: 'there is no such file',
  ENOTDIR: 'there is no such file',
  EISDIR: 'it is a folder',
  EACCES: 'it may not be read',
  ELOOP: 'symbolic links go round in a circle',
  EMFILE: 'too many files are open',
};

/** The file of a folder whose name is nearest to the one that is missing, or what lies there. */
const neighbours = async (path: string): Promise<string> => {
  const folder = dirname(resolve(path));
  const names = await readdir(folder).catch(() => undefined);
  if (names === undefined) return `There is no folder ${dirname(path)} either.`;
  const kind = extname(path);
  const seen = names.filter((name) => !name.startsWith('.') && (kind === '' || extname(name) === kind)).sort();
  return seen.length === 0 ? `There is no ${kind} file in ${folder}.` : suggest(basename(path), seen, `files in ${folder}`);
};

export interface MissingFile {
  /** The path as it was written. */
  readonly path: string;
  /** What it should have been: `a model file`. */
  readonly what: string;
  /** What to write instead of a folder. */
  readonly inFolder: string;
  readonly place?: TextPlace;
}

/** The error for a file that could not be read, with a way out for each kind of slip. */
export const missingFile = async (cause: unknown, { path, what, inFolder, place }: MissingFile): Promise<DurchblickError> => {
  const { code = '', message } = cause as NodeJS.ErrnoException;
  const fail = (why: string, hint: string): DurchblickError =>
    new DurchblickError('no-file', `cannot read ${what} ${path} (${why})`, { hint, place });
  const gone = code === 'ENOENT' || code === 'ENOTDIR';
  if (path === '-') return fail('"-" is no file', 'Standard input is not read: save it to a file and name that.');
  if (ADDRESS.test(path)) return fail('it is an address', 'Addresses are not read: download the file and name it.');
  if (code === 'EISDIR') return fail(WHY.EISDIR, inFolder);
  if (gone && PATTERN.test(path)) return fail('no file matches the pattern', await neighbours(path));
  return fail(WHY[code] ?? (code || message), gone ? await neighbours(path) : 'Look at its rights, or name another file.');
};
