// Publications that are files, below the model's folder or one that is allowed (V8).
import { mkdir, readFile, realpath } from 'node:fs/promises';
import { basename, dirname, join, resolve } from 'node:path';
import { isoOf } from '../calendar/day.ts';
import { DurchblickError } from '../errors.ts';
import { arrowFileOf } from '../files/arrow.ts';
import { isInside } from '../files/folder.ts';
import { parquetOf } from '../files/parquet.ts';
import { checkTargets, notWritten, writeWhole } from '../files/write.ts';
import type { Publication, PublishedFormat } from '../model/model.ts';
import { plainNumber } from '../result/format.ts';
import { csvLine } from '../result/text.ts';
import type { PublishedColumn, PublishedTable } from './table.ts';
import { type Target, targetText } from './target.ts';

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

export interface FileTargetOptions {
  /** The model's folder, which paths are relative to. */
  readonly folder: string;
  readonly allow?: readonly string[];
  /** Files that answers are made of, which nothing is written over. */
  readonly sources: readonly string[];
}

/** Files, each written aside and put into its place. What is there with the same bytes is left as it is. */
export const fileTarget = ({ folder, allow = [], sources }: FileTargetOptions): Target => {
  const placeOf = async (path: string): Promise<string> => {
    const place = await realPath(resolve(folder, path));
    const roots = await Promise.all([folder, ...allow].map(realPath));
    if (!roots.some((root) => isInside(place, root)))
      throw new DurchblickError('outside-folder', `"${path}" lies outside of the model's folder`, {
        hint: 'A publication is written below it, or below a folder that is allowed with --allow.',
      });
    await checkTargets([place], sources);
    return place;
  };
  const contentOf = (to: Publication['to'], table: PublishedTable) => CONTENT[to.kind === 'file' ? to.format : 'csv'](table);
  return {
    look: async (to, table) => {
      const place = await placeOf(targetText(to));
      const there = await readFile(place).catch((error: NodeJS.ErrnoException) => {
        if (error.code === 'ENOENT') return undefined;
        throw notWritten(targetText(to), error);
      });
      if (there === undefined) return 'nothing';
      return Buffer.compare(there, await contentOf(to, table)) === 0 ? 'same' : 'older';
    },
    write: async (to, table) => {
      const place = await placeOf(targetText(to));
      await mkdir(dirname(place), { recursive: true }).catch((error: unknown) => {
        throw notWritten(targetText(to), error);
      });
      await writeWhole(place, await contentOf(to, table));
    },
    close: async () => undefined,
  };
};
