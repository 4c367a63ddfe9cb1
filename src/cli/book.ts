import { stat } from 'node:fs/promises';
import { dirname, resolve } from 'node:path';
import { type Command, Option } from 'commander';
import { open } from '../book.ts';
import type { Book } from '../contract.ts';
import type { Engine } from '../engines/engine.ts';
import type { Statement } from '../engines/sql/database.ts';
import { DurchblickError } from '../errors.ts';
import { loadModel, type ModelFile } from '../files/node.ts';
import type { Model } from '../model/model.ts';

/** Where a question is answered. */
export interface EngineOptions {
  readonly engine?: 'memory' | 'duckdb';
  readonly connect?: string;
}

/** How to open a book beyond the options of a user. */
interface Opening extends EngineOptions {
  /** Is told every statement that a database is asked. */
  readonly trace?: (statement: Statement) => void;
  /** Leaves text files where they are, so that statements run as they stand. */
  readonly inPlace?: boolean;
}

/** Adds the options that choose the engine to a command. */
export const withEngine = (command: Command): Command =>
  command
    .addOption(
      new Option('--engine <name>', 'memory or duckdb; duckdb by itself for Parquet and for more than 200 MB of files').choices([
        'memory',
        'duckdb',
      ]),
    )
    .option('--connect <url>', 'a database with the tables of the model: postgres://user@host/database, or duckdb:file.duckdb');

/** From this size on, files are scanned in parallel by DuckDB instead of being read into memory. */
const LARGE = 200e6;

const fileSources = (model: Model): string[] =>
  [...model.sources.values()].flatMap((source) => (source.kind === 'file' ? [source.file] : []));

/** DuckDB where the files ask for it, memory elsewhere. */
const chosenEngine = async (model: Model, folder: string): Promise<'memory' | 'duckdb'> => {
  const files = fileSources(model);
  if (files.some((file) => /\.parquet$/i.test(file))) return 'duckdb';
  let size = 0;
  for (const file of files)
    size += await stat(resolve(folder, file)).then(
      (entry) => entry.size,
      () => 0,
    );
  return size > LARGE ? 'duckdb' : 'memory';
};

const connected = async (url: string, { trace, inPlace }: Opening, folder: string, { files }: ModelFile): Promise<Engine> => {
  if (/^postgres(ql)?:/.test(url)) {
    const { postgres } = await import('../engines/postgres/index.ts');
    return postgres({ connectionString: url, files, trace });
  }
  const file = /^duckdb:(?:\/\/)?(.+)$/.exec(url)?.[1];
  if (file === undefined)
    throw new DurchblickError('bad-option', `--connect does not know "${url}"`, {
      hint: 'It takes postgres://user@host/database or duckdb:file.duckdb.',
    });
  const { duckdb } = await import('../engines/duckdb/index.ts');
  return duckdb({ path: resolve(file), folder, files, trace, inPlace });
};

/** Opens the model of a path. A folder stands for the `model.yaml` in it. */
export const openBook = async (path: string, options: Opening = {}): Promise<Book> => {
  const isFolder = await stat(path).then(
    (entry) => entry.isDirectory(),
    () => false,
  );
  const modelPath = isFolder ? `${path.replace(/\/+$/, '')}/model.yaml` : path;
  const loaded = await loadModel(modelPath);
  const { model, files } = loaded;
  const folder = dirname(resolve(modelPath));
  if (options.connect !== undefined) {
    if (options.engine !== undefined)
      throw new DurchblickError('bad-option', '--engine stands beside --connect', { hint: 'The database answers; leave --engine out.' });
    return open(model, await connected(options.connect, options, folder, loaded));
  }
  const engine = options.engine ?? (await chosenEngine(model, folder));
  if (engine === 'duckdb') {
    const { duckdb } = await import('../engines/duckdb/index.ts');
    return open(model, duckdb({ folder, files, trace: options.trace, inPlace: options.inPlace }));
  }
  const { memory } = await import('../engines/memory/index.ts');
  return open(model, memory({}, { files }));
};

/** Runs something with a book and closes it afterwards. */
export const withBook = async <T>(path: string, run: (book: Book) => Promise<T>, options?: EngineOptions): Promise<T> => {
  const book = await openBook(path, options);
  try {
    return await run(book);
  } finally {
    await book.close();
  }
};

export const oneOf = (value: string, allowed: readonly string[], option: string): string => {
  if (allowed.includes(value)) return value;
  throw new DurchblickError('bad-option', `${option} is "${value}"`, { hint: `It takes ${allowed.join(', ')}.` });
};
