// How engines come by the bytes of a model's files, wherever they lie.
import { DurchblickError } from '../errors.ts';
import type { Model, Source } from '../model/model.ts';
import type { FileColumn } from './column.ts';

/** Opens a file of a model by its path as the model writes it. Rejects when there is none, or when it may not be read. */
export interface Files {
  (path: string): Promise<Uint8Array>;
  /**
   * The files that a path stands for, each to be opened by its name here: the path itself where there is such a file, else
   * those that it is a pattern of (`* ? [ ]`), in order. Without it a path is always one file.
   */
  readonly list?: (path: string) => Promise<readonly string[]>;
  /** What tells the present state of the files of a path from every other; without it they are taken to stay as they are. */
  readonly state?: (path: string) => Promise<string>;
  /** A source by a faster reader than ours; undefined where there is none, or it would not read the very same. */
  readonly typed?: (source: Extract<Source, { kind: 'file' }>, model: Model) => Promise<TypedSource | undefined>;
}

/** Rows as they stand in a source: blanks as null, dates and points in time as ISO texts. */
export type PlainRows = readonly Readonly<Record<string, unknown>>[];

/** A column of a source: what it holds there and, where the model uses it, its values as they were read. */
export interface SourceColumn extends Pick<FileColumn, 'name' | 'kind' | 'holds'> {
  readonly typed?: FileColumn;
}

/** A source that was read typed: texts are told by what they mean, and may be asked for as they stand. */
export interface TypedSource {
  readonly rows: number;
  /** All that the source has, in order. */
  readonly columns: readonly SourceColumn[];
  /** Some columns of all rows as they stand there, or of some by their number from 0, in the order asked for. */
  readonly written: (columns: readonly string[], rows?: readonly number[]) => Promise<PlainRows>;
}

const SCHEME = /^[a-z][a-z0-9+.-]+:/i;

/** A model reads files: an address in a path is refused before anything is asked of a network. */
export const checkPath = (path: string): void => {
  if (!SCHEME.test(path)) return;
  throw new DurchblickError('outside-folder', `"${path}" is an address, and a model reads files only`, {
    hint: 'Put the file beside the model, or pass its rows as a table.',
  });
};

/** A path that leads out of where a model's files lie. */
export const outsideFolder = (path: string, folder: string): DurchblickError =>
  new DurchblickError('outside-folder', `"${path}" lies outside of ${folder}`, {
    hint: 'A model reads files below its own folder; another folder must be allowed by whoever runs it: `--allow DIR`.',
  });

/** Files below a URL, for browsers: paths are resolved against it, and none leads out of it. */
export const urlFiles = (base: string | URL): Files => {
  const folder = new URL('.', base);
  return async (path) => {
    checkPath(path);
    const url = new URL(path, base);
    if (url.origin !== folder.origin || !url.pathname.startsWith(folder.pathname)) throw outsideFolder(path, String(folder));
    const response = await fetch(url);
    if (!response.ok) throw new Error(`${response.status} ${response.statusText}`);
    return new Uint8Array(await response.arrayBuffer());
  };
};
