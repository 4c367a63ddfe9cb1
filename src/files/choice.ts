// Which engine suits a model's files, for Node.js.
import { stat } from 'node:fs/promises';
import { basename } from 'node:path';
import type { Model } from '../model/model.ts';
import type { FolderFiles } from './folder.ts';

/** From so many megabytes on, files are scanned in parallel by DuckDB instead of being read into memory. */
const LARGE = 200;

/** All files that a model reads, as it names them. */
export const filesOf = ({ sources, input }: Model): string[] => {
  const { holidays } = input.calendar?.workingDays ?? {};
  const files = [...sources.values()].flatMap((source) => (source.kind === 'file' ? [source.file] : []));
  return typeof holidays === 'string' ? [...files, holidays] : files;
};

/** Where the files of a model lie, symbolic links resolved; those that are not there are told when they are read. */
export const modelPlaces = async (model: Model, files: FolderFiles): Promise<string[]> => {
  const found = await Promise.all(filesOf(model).map((file) => files.find(file).catch(() => [])));
  return found.flat().map(({ real }) => real);
};

export interface ChosenEngine {
  readonly engine: 'memory' | 'duckdb';
  /** Why, in words. */
  readonly why: string;
}

/** The engine that suits a model's files: DuckDB for queries, Parquet and more than 200 MB, memory for others. */
export const engineFor = async (model: Model, files: FolderFiles): Promise<ChosenEngine> => {
  const sources = [...model.sources.values()];
  const query = sources.find(({ kind }) => kind === 'query');
  // A model that also names tables needs a database connection.
  if (query && sources.every(({ kind }) => kind !== 'table')) return { engine: 'duckdb', why: `${query.name} is a query` };
  const places = await modelPlaces(model, files);
  const parquet = places.find((file) => /\.parquet$/i.test(file));
  if (parquet !== undefined) return { engine: 'duckdb', why: `${basename(parquet)} is a Parquet file` };
  const sizes = await Promise.all(places.map((file) => stat(file).then(({ size }) => size)));
  const megabytes = sizes.reduce((sum, size) => sum + size, 0) / 1e6;
  return megabytes > LARGE
    ? { engine: 'duckdb', why: `the files have ${megabytes.toFixed(0)} MB, more than ${LARGE}` }
    : { engine: 'memory', why: `the files have ${megabytes.toFixed(1)} MB, at most ${LARGE}, and none is Parquet` };
};
