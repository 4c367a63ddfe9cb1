// Options that choose and open an engine, for every command that needs one.
import { join, resolve } from 'node:path';
import { type Command, Option } from 'commander';
import { open } from '../book/open.ts';
import type { Book } from '../book/types.ts';
import type { KeptEvent } from '../engines/duckdb/kept-folder.ts';
import type { Engine } from '../engines/engine.ts';
import type { Statement } from '../engines/sql/database.ts';
import type { StatementRun } from '../engines/trino/index.ts';
import { DurchblickError } from '../errors.ts';
import { engineFor, folderFiles, loadModel, type ModelFile, modelPlaces, type PartPlace } from '../files/node.ts';
import { checkTargets } from '../files/write.ts';
import type { Question } from '../model/schema.ts';
import { isCondition } from '../plan/question.ts';
import { getInterruptSignal } from './interrupt.ts';
import { modelFile } from './models.ts';
import { showProgress } from './progress.ts';
import { withStdin } from './stdin.ts';
import { toStderr } from './write.ts';

/** Where a question is answered. */
export interface EngineOptions {
  readonly engine?: 'memory' | 'duckdb';
  readonly connect?: string;
  /** Further folders that files of the model may lie in. */
  readonly allow?: readonly string[];
  /** Seconds for which a state of the data is taken for the present one. */
  readonly refresh?: string;
  /** Where typed copies of large files are kept; `off` keeps none. */
  readonly keep?: readonly string[];
  /** An older state of a cluster's tables. */
  readonly state?: string;
  /** Seconds that a statement may take. */
  readonly timeout?: string;
}

/** How to open a book beyond the options of a user. */
export interface Opening extends EngineOptions {
  /** Is told every statement that a database is asked. */
  readonly trace?: (statement: Statement) => void;
  /** Is told what a statement on a cluster took. */
  readonly ran?: (run: StatementRun) => void;
  /** What an administrator of a cluster sees beside each statement. */
  readonly tags?: readonly string[];
  /** Leaves text files where they are, so that statements run as they stand. */
  readonly inPlace?: boolean;
  /** Is told which engine was taken where the user named none, and why. */
  readonly chose?: (engine: string, why: string) => void;
  /** Is told what became of the copy of each large file. */
  readonly kept?: (message: string) => void;
  /** Is told of the files that make up the model. */
  readonly loaded?: (parts: readonly PartPlace[]) => void;
  /** Filters fixed for good (V3). */
  readonly fixed?: Question['where'];
  /** Files that turn bad leave the last good state in use. */
  readonly whenBad?: 'keep';
  /** The book answers one question. */
  readonly asked?: 'once';
  /** Bytes of day cubes to keep for later questions. */
  readonly cacheBytes?: number;
  /** Files that the command is going to write. */
  readonly writes?: readonly (string | undefined)[];
}

export const collect = (value: string, previous: string[] = []): string[] => [...previous, value];

const secondsOf = (text: string, option: string): number => {
  if (/^\d+(\.\d+)?$/.test(text)) return Number(text);
  throw new DurchblickError('bad-option', `${option} is "${text}"`, { hint: 'It takes seconds, 0 or more.' });
};

/** Seconds that a statement may take if nothing is said. */
const TIMEOUT = '120';

const parseTimeout = ({ timeout = TIMEOUT }: EngineOptions): number => 1000 * secondsOf(timeout, '--timeout');

/** Adds the options that choose the engine to a command. */
export const withEngine = (command: Command): Command => {
  const has = (name: string): boolean => command.options.some(({ long }) => long === name);
  // A command that asks something has conditions on members to keep, too.
  const asks = has('--limit');
  // A timeout of answers is one of statements, too.
  if (!has('--timeout')) command.option('--timeout <seconds>', `how long a statement on a database may take; ${TIMEOUT} by itself`);
  return command
    .addOption(
      new Option('--engine <name>', 'memory or duckdb; duckdb by itself for Parquet and for more than 200 MB of files').choices([
        'memory',
        'duckdb',
      ]),
    )
    .option(
      '--connect <url>',
      'a database with the tables of the model: postgres://user@host/database, duckdb:file.duckdb, or trino://user@host:port/catalog/schema',
    )
    .option(
      '--state <state>',
      'an older state of a cluster\u2019s tables: an instant such as 2026-05-20T06:00:00Z, or snapshots as --time prints them',
    )
    .option('--allow <folder>', "a folder beside the model's own that its files may lie in (repeatable)", collect)
    .option(
      asks ? '--keep <condition|folder>' : '--keep <folder>',
      `${asks ? "with a sign, members whose reading meets it over the whole range, 'revenue > 10000' (repeatable); else " : ''}where typed copies of large files are kept: .durchblick beside the model if nothing is said; off keeps none`,
      collect,
    )
    .option('--refresh <seconds>', 'how long files or tables are taken to stay as they are; 0, the default, looks for each question');
};

/** The folder for kept copies: by option, by the environment, else beside the model. */
const keepFolder = ({ keep: given = [] }: EngineOptions, folder: string): string | undefined => {
  // What has the sign of a condition is one on members (R4), and no folder.
  const keep = given.filter((text) => !isCondition(text)).pop() ?? process.env.DURCHBLICK_KEEP;
  return keep === 'off' ? undefined : keep === undefined || keep === '' ? join(folder, '.durchblick') : resolve(keep);
};

/** A copy that cannot be kept is told at once; what else became of copies to whoever wants to know. */
const sayKept =
  ({ kept }: Opening) =>
  ({ state, message }: KeptEvent): void => {
    if (state === 'not-kept') toStderr(`note: ${message}\n`);
    else kept?.(message);
  };

const DATABASE_FILE = /^duckdb:(?:\/\/)?(.+)$/;
export const databaseFile = (url: string | undefined): string[] => DATABASE_FILE.exec(url ?? '')?.slice(1) ?? [];

/** Masks the password of a connection URL, including malformed URLs. */
export const masked = (url: string): string => {
  const at = url.lastIndexOf('@');
  const [scheme] = /^([a-z][a-z0-9+.-]*:?\/+)?/i.exec(url) as RegExpExecArray;
  const user = url.slice(scheme.length, Math.max(scheme.length, at));
  const colon = user.indexOf(':');
  const shown = at < 0 || colon < 0 ? url : `${scheme}${user.slice(0, colon)}:***${url.slice(at)}`;
  return shown.replace(/\b((?:password|pwd|secret|token)\s*=\s*)[^&;\s]*/gi, '$1***');
};

/** A catalog and schema of a cluster; by HTTPS where a password is given, or the port is that of HTTPS. */
export const clusterOf = (url: string, option = '--connect') => {
  const { hostname, port, username, password, pathname } = URL.canParse(url) ? new URL(url) : new URL('trino://none');
  const [catalog, schema, ...more] = pathname
    .split('/')
    .filter((part) => part !== '')
    .map(decodeURIComponent);
  if (catalog === undefined || schema === undefined || more.length > 0)
    throw new DurchblickError('bad-option', `${option} is "${masked(url)}"`, { hint: 'It is trino://user@host:port/catalog/schema.' });
  const scheme = password !== '' || port === '443' ? 'https' : 'http';
  return {
    server: `${scheme}://${hostname}${port === '' ? '' : `:${port}`}`,
    catalog,
    schema,
    ...(username === '' ? {} : { user: decodeURIComponent(username) }),
    ...(password === '' ? {} : { password: decodeURIComponent(password) }),
  };
};

const connected = async (url: string, opening: Opening, { files, folder }: Pick<ModelFile, 'files' | 'folder'>): Promise<() => Engine> => {
  const { trace, inPlace, allow, state, ran, tags } = opening;
  const limits = { statementTimeout: parseTimeout(opening) };
  if (state !== undefined && !/^trino:/.test(url))
    throw new DurchblickError('bad-option', '--state stands beside a database that keeps no snapshots', {
      hint: 'Tables of a cluster do, with --connect trino://…; leave --state out.',
    });
  if (/^postgres(ql)?:/.test(url)) {
    const { postgres } = await import('../engines/postgres/index.ts');
    return () => postgres({ connectionString: url, files, trace, ...limits });
  }
  if (/^trino:/.test(url)) {
    const { trino } = await import('../engines/trino/index.ts');
    const place = clusterOf(url);
    // A server ends its statements itself.
    const own = { ...limits, ...(opening.whenBad ? {} : { signal: getInterruptSignal() }) };
    return () => trino({ ...place, files, trace, ran, ...own, ...(tags ? { tags } : {}), ...(state === undefined ? {} : { state }) });
  }
  const [file] = databaseFile(url);
  if (file === undefined)
    throw new DurchblickError('bad-option', `--connect does not know "${masked(url)}"`, {
      hint: 'It takes postgres://user@host/database, duckdb:file.duckdb or trino://user@host:port/catalog/schema.',
    });
  const { duckdb } = await import('../engines/duckdb/index.ts');
  return () => duckdb({ path: resolve(file), folder, allow, files, trace, inPlace, ...limits });
};

/** Engines over a database without a model beside it. */
export const databaseMaker = (url: string): Promise<() => Engine> => {
  const folder = process.cwd();
  return connected(url, {}, { files: folderFiles(folder), folder });
};

/** Engines over the data of a model, as options choose them; each opens once. */
export const engineMaker = async (loaded: ModelFile, options: Opening): Promise<() => Engine> => {
  const { model, files, folder } = loaded;
  const limits = { statementTimeout: parseTimeout(options) };
  const { allow, inPlace, connect } = options;
  const trace = (statement: Statement): void => {
    showProgress(statement.about);
    options.trace?.(statement);
  };
  if (options.state !== undefined && connect === undefined)
    throw new DurchblickError('bad-option', '--state stands without --connect', {
      hint: 'Tables of a cluster keep their older states: --connect trino://user@host:port/catalog/schema.',
    });
  if (connect !== undefined) {
    if (options.engine !== undefined)
      throw new DurchblickError('bad-option', '--engine stands beside --connect', { hint: 'The database answers; leave --engine out.' });
    return connected(connect, { ...options, trace }, loaded);
  }
  const chosen = options.engine === undefined ? await engineFor(model, files) : undefined;
  const engine = options.engine ?? chosen?.engine;
  if (chosen) options.chose?.(chosen.engine, chosen.why);
  if (engine === 'duckdb') {
    const { duckdb } = await import('../engines/duckdb/index.ts');
    return () => duckdb({ folder, allow, files, trace, inPlace, ...limits, keep: keepFolder(options, folder), kept: sayKept(options) });
  }
  const [{ memory }, { withTyped }] = await Promise.all([import('../engines/memory/index.ts'), import('../engines/duckdb/typed-files.ts')]);
  return () => memory({}, { files: withTyped(files, { keep: keepFolder(options, folder), kept: sayKept(options) }) });
};

/** Opens the model of a path. */
export const openBook = async (path: string, options: Opening = {}): Promise<Book> => {
  const modelPath = await modelFile(path);
  const { writes = [] } = options;
  const { allow, ...loaded } = await withStdin(await loadModel(modelPath, { allow: options.allow }), options.allow);
  const { model, files, parts } = loaded;
  options.loaded?.(parts);
  showProgress(`opening ${path}`);
  const opening = options.refresh === undefined ? {} : { refresh: secondsOf(options.refresh, '--refresh') };
  const places = await modelPlaces(model, files);
  await checkTargets(
    writes.flatMap((file) => file ?? []),
    [modelPath, ...parts.map(({ real }) => real), ...places, ...databaseFile(options.connect)],
  );
  return open(model, (await engineMaker(loaded, { ...options, allow }))(), {
    ...opening,
    ...(options.whenBad ? { whenBad: options.whenBad } : {}),
    ...(options.asked ? { asked: options.asked } : {}),
    ...(options.cacheBytes === undefined ? {} : { cacheBytes: options.cacheBytes }),
    ...(options.fixed ? { where: options.fixed } : {}),
  });
};

/** Runs something with a book and closes it afterwards. */
export const withBook = async <T>(path: string, run: (book: Book) => Promise<T>, options?: Opening): Promise<T> => {
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
