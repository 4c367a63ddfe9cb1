// Publications that are files, below the model's folder or one that is allowed (V8).
import { mkdir, readFile, realpath, stat } from 'node:fs/promises';
import { basename, dirname, join, relative, resolve, sep } from 'node:path';
import { isoOf } from '../calendar/day.ts';
import { DurchblickError } from '../errors.ts';
import { arrowComment, arrowFileOf } from '../files/arrow.ts';
import { isInside } from '../files/folder.ts';
import { PATTERN } from '../files/missing.ts';
import { parquetComment, parquetOf } from '../files/parquet.ts';
import { matchPath } from '../files/wildcard.ts';
import { checkTargets, notWritten, writeWhole } from '../files/write.ts';
import type { Publication, PublishedFormat } from '../model/model.ts';
import { plainNumber } from '../result/format.ts';
import { csvLine } from '../result/text.ts';
import type { PublishedColumn, PublishedTable } from './table.ts';
import { type Target, targetText, thereBy } from './target.ts';

const cellText = (type: PublishedColumn['type'], value: PublishedColumn['values'][number]): string => {
  if (value === null) return '';
  if (type === 'date') return isoOf(value as number);
  return typeof value === 'number' ? plainNumber(value) : String(value);
};

const csvOf = ({ rows, columns }: PublishedTable): string =>
  [
    columns.map(({ name }) => name),
    ...Array.from({ length: rows }, (_, row) => columns.map(({ type, values }) => cellText(type, values[row]))),
  ]
    .map(csvLine)
    .join('');

const CONTENT: Readonly<Record<PublishedFormat, (table: PublishedTable) => Promise<Uint8Array>>> = {
  parquet: ({ columns, comment }) => parquetOf(columns, comment),
  arrow: ({ columns, comment }) => arrowFileOf(columns, comment),
  csv: async (table) => new TextEncoder().encode(csvOf(table)),
};

/** Where a path leads, symbolic links resolved as far as it is there. */
const realPath = async (path: string): Promise<string> => {
  try {
    return await realpath(path);
  } catch {
    const above = dirname(path);
    return above === path ? path : join(await realPath(above), basename(path));
  }
};

/** The comment that a file of ours holds; null if it has none. */
const commentOf = async (format: PublishedFormat, place: string, bytes: Uint8Array): Promise<string | null> => {
  const readers: Readonly<Record<PublishedFormat, () => Promise<string | null | undefined>>> = {
    parquet: () => parquetComment(bytes),
    arrow: () => arrowComment(bytes),
    csv: async () => JSON.parse(await readFile(metadataOf(place), 'utf8'))['dc:description'],
  };
  return (await readers[format]().catch(() => null)) ?? null;
};

/** Path of the metadata of a CSV file (W3C "CSV on the Web"). */
const metadataOf = (place: string): string => `${place}-metadata.json`;

const DATATYPES: Readonly<Record<PublishedColumn['type'], string>> = {
  date: 'date',
  integer: 'integer',
  long: 'long',
  boolean: 'boolean',
  text: 'string',
  decimal: 'decimal',
  number: 'double',
};

const metadataText = ({ columns, comment }: PublishedTable, place: string): string =>
  `${JSON.stringify(
    {
      '@context': 'http://www.w3.org/ns/csvw',
      url: basename(place),
      'dc:description': comment,
      tableSchema: {
        columns: columns.map((column) => ({ titles: column.name, datatype: DATATYPES[column.type], 'dc:description': column.comment })),
      },
    },
    null,
    2,
  )}\n`;

export interface FileTargetOptions {
  /** The model's folder, which paths are relative to. */
  readonly folder: string;
  readonly allow?: readonly string[];
  /** Files that answers are made of, which nothing is written over. */
  readonly sources: readonly string[];
  /** Files, folders and patterns that the model reads, as it names them: nothing is written among their files. */
  readonly read?: readonly string[];
  /** The files of all publications of the model: each has a place of its own. */
  readonly paths?: readonly string[];
}

/** Whether a place is in a folder that a model reads, or matches a pattern. */
const isRead = async (place: string, folder: string, path: string): Promise<boolean> => {
  const home = await realPath(folder);
  if (PATTERN.test(path)) return matchPath(path.replace(/^\.\//, ''))(relative(home, place).split(sep).join('/'));
  const real = await realPath(resolve(folder, path));
  const isFolder = await stat(real).then(
    (found) => found.isDirectory(),
    () => false,
  );
  return isFolder && isInside(place, real);
};

/** Files, each written aside and put into its place. What is there with the same bytes is left as it is. */
export const fileTarget = ({ folder, allow = [], sources, read = [], paths = [] }: FileTargetOptions): Target => {
  const placeOf = async (path: string): Promise<string> => {
    const place = await realPath(resolve(folder, path));
    const roots = await Promise.all([folder, ...allow].map(realPath));
    if (!roots.some((root) => isInside(place, root)))
      throw new DurchblickError('outside-folder', `"${path}" lies outside of the model's folder`, {
        hint: 'A publication is written below it, or below a folder that is allowed with --allow.',
      });
    await checkTargets([place], sources);
    for (const own of read)
      if (await isRead(place, folder, own))
        throw new DurchblickError('file-taken', `${path} would be read as part of "${own}"`, { hint: 'Publish to another folder.' });
    const others = paths.slice(0, Math.max(0, paths.indexOf(path)));
    for (const other of others)
      if ((await realPath(resolve(folder, other))) === place)
        throw new DurchblickError('file-taken', `${path} is the same file as ${other}, which another publication writes`, {
          hint: 'Name another file for one of them.',
        });
    return place;
  };
  const formatOf = (to: Publication['to']): PublishedFormat => (to.kind === 'file' ? to.format : 'csv');
  return {
    look: async (to, table) => {
      const format = formatOf(to);
      const place = await placeOf(targetText(to));
      const there = await readFile(place).catch((error: NodeJS.ErrnoException) => {
        if (error.code === 'ENOENT') return undefined;
        throw notWritten(targetText(to), error);
      });
      if (there === undefined) return 'nothing';
      const found = thereBy(await commentOf(format, place, there), table);
      return found === 'same' && Buffer.compare(there, await CONTENT[format](table)) !== 0 ? 'older' : found;
    },
    write: async (to, table) => {
      const format = formatOf(to);
      const place = await placeOf(targetText(to));
      await mkdir(dirname(place), { recursive: true }).catch((error: unknown) => {
        throw notWritten(targetText(to), error);
      });
      // The mark comes first: a CSV file without it belongs to others.
      if (format === 'csv') await writeWhole(metadataOf(place), metadataText(table, place));
      await writeWhole(place, await CONTENT[format](table));
    },
    close: async () => undefined,
  };
};
