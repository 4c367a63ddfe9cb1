// Writes a model's publications, once or again and again.
import { resolve } from 'node:path';
import { DurchblickError } from '../errors.ts';
import { filesOf, loadModel, modelPlaces } from '../files/node.ts';
import type { Publication } from '../model/model.ts';
import { intervalOf, runEvery } from '../publish/every.ts';
import { fileTarget } from '../publish/file.ts';
import { makeAll, type Published, publicationsNamed, publishAll } from '../publish/publish.ts';
import type { Target } from '../publish/target.ts';
import { metricsOf, PUBLICATIONS } from '../serve/metrics.ts';
import { statusServer } from '../serve/status.ts';
import { clusterOf, databaseFile, type EngineOptions, masked, oneOf, withBook } from './book.ts';
import { listenAt, wholeNumber } from './listen.ts';
import { modelFile } from './models.ts';
import { green, red, report, terminalTable } from './output.ts';
import { deliver } from './write.ts';

export interface PublishCommandOptions extends EngineOptions {
  readonly into?: string;
  readonly dryRun?: boolean;
  readonly every?: string;
  readonly port?: string;
  readonly format: string;
}

/** The tables of a database, by its address. */
const databaseTarget = async (url: string): Promise<Target> => {
  if (/^postgres(ql)?:/.test(url)) return (await import('../publish/postgres.ts')).postgresTarget(url);
  if (/^trino:/.test(url)) return (await import('../publish/trino.ts')).trinoTarget({ user: 'durchblick', ...clusterOf(url, '--into') });
  const [file] = databaseFile(url);
  if (file !== undefined) return (await import('../publish/duckdb.ts')).duckdbTarget(resolve(file));
  throw new DurchblickError('bad-option', `--into does not know "${masked(url)}"`, {
    hint: 'It takes postgres://user@host/database, duckdb:file.duckdb or trino://user@host:port/catalog/schema.',
  });
};

/** Targets by kind, each opened when the first publication needs it. */
const targetsFor = (files: Target, database: string | undefined) => {
  let opened: Promise<Target> | undefined;
  return {
    of: (publication: Publication): Promise<Target> => {
      if (publication.to.kind === 'file') return Promise.resolve(files);
      if (database === undefined)
        throw new DurchblickError('no-database', `"${publication.name}" is a table, and no database is named`, {
          hint: 'Name it with --into postgres://user@host/database or --into duckdb:file.duckdb; with --connect it is that one.',
        });
      opened ??= databaseTarget(database);
      return opened;
    },
    close: async (): Promise<void> => {
      await files.close();
      await opened?.then(
        (target) => target.close(),
        () => undefined,
      );
    },
  };
};

const STATES: Readonly<Record<Published['state'], { readonly done: string; readonly would: string }>> = {
  created: { done: 'created', would: 'would be created' },
  replaced: { done: 'replaced', would: 'would be replaced' },
  unchanged: { done: 'unchanged', would: 'unchanged' },
  failed: { done: 'failed', would: 'would fail' },
};

const tableOf = (all: readonly Published[], tense: 'done' | 'would'): string =>
  terminalTable({
    header: ['publication', 'to', 'rows', 'state'],
    right: [false, false, true, false],
    rows: all.map(({ publication, to, rows, state }) => {
      const said = STATES[state][tense];
      return {
        cells: [
          publication,
          to,
          rows === undefined ? '' : String(rows),
          state === 'failed' ? red(said) : state === 'unchanged' ? said : green(said),
        ],
      };
    }),
  });

const jsonOf = (all: readonly Published[]): string =>
  `${JSON.stringify(
    all.map(({ error, ...told }) => ({
      ...told,
      ...(error ? { error: { code: error.code, message: error.message, hint: error.hint } } : {}),
    })),
    null,
    2,
  )}\n`;

/** Computes all that is to be published and writes what differs. */
export const publishOnce = async (
  path: string,
  names: readonly string[],
  options: PublishCommandOptions,
): Promise<readonly Published[]> => {
  const loaded = await loadModel(await modelFile(path), { allow: options.allow });
  const publications = publicationsNamed(loaded.model, names);
  const { model, folder } = loaded;
  const sources = [...loaded.parts.map(({ real }) => real), ...(await modelPlaces(model, loaded.files))];
  const paths = [...model.publications.values()].flatMap(({ to }) => (to.kind === 'file' ? [to.path] : []));
  const database = options.into ?? options.connect;
  const tablesRead =
    database === options.connect ? [...model.sources.values()].flatMap((source) => (source.kind === 'table' ? [source.table] : [])) : [];
  // All is computed before anything is written: a DuckDB file that is read cannot be written.
  const made = await withBook(path, (book) => makeAll(book, publications), options);
  const files = fileTarget({ folder, allow: options.allow, sources, read: filesOf(model), paths });
  const targets = targetsFor(files, database);
  try {
    const mode = options.dryRun ? 'dry-run' : 'write';
    return await publishAll(made, { targetOf: async (publication) => targets.of(publication), tablesRead, mode });
  } finally {
    await targets.close();
  }
};

/** Until SIGTERM or SIGINT; what runs is finished. */
const untilTold = () => {
  let [isOver, wake] = [false, (): void => undefined];
  const end = (): void => {
    isOver = true;
    wake();
  };
  process.once('SIGTERM', end);
  process.once('SIGINT', end);
  return (time: number): Promise<boolean> =>
    new Promise((done) => {
      const timer = setTimeout(() => done(isOver), isOver ? 0 : Math.max(0, time - Date.now()));
      wake = () => {
        clearTimeout(timer);
        done(true);
      };
    });
};

/** Publishes once an interval until it is told to end. A fault is logged, and the next time is as good as the first. */
const publishEvery = async (path: string, names: readonly string[], options: PublishCommandOptions): Promise<number> => {
  const seconds = intervalOf(options.every as string);
  const { model } = await loadModel(await modelFile(path), { allow: options.allow });
  const items = publicationsNamed(model, names).map(({ name }) => name);
  const { default: pino } = await import('pino');
  const log = pino({ level: 'info' }, { write: (line: string) => void process.stderr.write(line) });
  const metrics = metricsOf(PUBLICATIONS);
  const states = new Map<string, Published['state']>();
  const failing = (): number => [...states.values()].filter((state) => state === 'failed').length;
  const server =
    options.port === undefined
      ? undefined
      : await statusServer({
          ready: () => ({ ready: states.size === items.length, ...(failing() > 0 ? { failing: failing() } : {}) }),
          metrics: () => metrics.text({ publications_failing: ['Publications that failed the last time.', failing()] }),
        });
  if (server) {
    const address = await listenAt(server, { host: '127.0.0.1', port: wholeNumber(options.port as string, '--port', 0, 65_535) });
    log.info({ address }, 'listening');
  }
  const run = async (name: string): Promise<void> => {
    const start = Date.now();
    const told = (published: Omit<Published, 'to'> & { readonly to?: string }): void => {
      const ms = Date.now() - start;
      const { publication, to, rows, state, error } = published;
      states.set(publication, state);
      metrics.done(publication, state, ms / 1000);
      // What is wrong may hold values of the data, and is for `publish` without --every to say.
      log[state === 'failed' ? 'error' : 'info']({ publication, to, state, rows, ms, code: error?.code }, state);
    };
    await publishOnce(path, [name], options).then(
      (all) => all.forEach(told),
      (error: unknown) => {
        if (!(error instanceof DurchblickError)) throw error;
        told({ publication: name, state: 'failed', error });
      },
    );
  };
  await runEvery({ items, interval: seconds * 1000, run, until: untilTold(), now: Date.now });
  await server?.close();
  return 0;
};

/** Writes publications; exit code 1 when one of them failed, after all the others. */
export const publish = async (path: string, names: readonly string[], options: PublishCommandOptions): Promise<number> => {
  const format = oneOf(options.format, ['text', 'json'], '--format');
  if (options.every !== undefined) {
    if (options.dryRun)
      throw new DurchblickError('bad-option', '--dry-run stands beside --every', {
        hint: 'What would be written is said once: leave --every out.',
      });
    return publishEvery(path, names, options);
  }
  if (options.port !== undefined)
    throw new DurchblickError('bad-option', '--port stands without --every', { hint: 'It tells how a publisher is that runs on and on.' });
  const all = await publishOnce(path, names, options);
  await deliver(
    format === 'json' ? jsonOf(all) : tableOf(all, options.dryRun ? 'would' : 'done'),
    undefined,
    format === 'json' ? 'data' : 'words',
  );
  for (const { error } of all) if (error) report(error);
  return all.some(({ state }) => state === 'failed') ? 1 : 0;
};
