// Serves models over HTTP until SIGTERM or SIGINT.
import { mkdtemp, readFile, stat } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { basename, dirname, extname, join, resolve, sep } from 'node:path';
import { fileURLToPath } from 'node:url';
import { DurchblickError, suggest } from '../errors.ts';
import { missingFile } from '../files/missing.ts';
import { loadModel } from '../files/node.ts';
import { readYaml } from '../files/yaml-text.ts';
import { createFront, type Front } from '../serve/front.ts';
import { type Key, keysOf, newKey } from '../serve/keys.ts';
import { isLoopback, type ServedModel, serverOf } from '../serve/server.ts';
import { type EngineOptions, engineMaker, openBook } from './book.ts';
import { type ComputingHere, computingHere, NotStarted, type Served, type Started, startComputing } from './computing.ts';
import { layOut } from './demo.ts';
import { listenAt, listening, wholeNumber } from './listen.ts';
import { modelFile } from './models.ts';
import { bold, dim } from './output.ts';
import { statementsOf } from './sql.ts';
import { over } from './tables.ts';
import { deliver, toStderr } from './write.ts';

export interface ServeCommandOptions extends EngineOptions {
  readonly host: string;
  readonly port: string;
  readonly keys?: string;
  readonly newKey?: string;
  readonly atOnce: string;
  readonly timeout: string;
  readonly memory: string;
  readonly grace: string;
}

const isThere = (path: string): Promise<boolean> =>
  stat(path).then(
    () => true,
    () => false,
  );

/** The models to serve: those named, else the one here, else the demo, laid out for the occasion. */
const pathsOf = async (given: readonly string[]): Promise<readonly string[]> => {
  const wantsDemo =
    given.length === 0 ? !(await isThere('model.yaml')) : given.length === 1 && given[0] === 'demo' && !(await isThere('demo'));
  if (!wantsDemo) return given.length === 0 ? ['model.yaml'] : given;
  const folder = join(await mkdtemp(join(tmpdir(), 'gruenhof-')), 'gruenhof');
  await layOut(folder);
  return [folder];
};

/** What a model is called in addresses: after its file, or the folder of a model.yaml. */
const addressName = (file: string): string => {
  const own = basename(file, extname(file));
  const name = own === 'model' ? basename(dirname(resolve(file))) : own;
  return (
    name
      .normalize('NFKD')
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^-+|-+$/g, '') || 'model'
  );
};

/** Books share the memory for day cubes: one for each model and set of fixed filters. */
const servedModel = async (path: string, options: ServeCommandOptions, cacheBytes: () => number): Promise<ServedModel> => {
  const file = await modelFile(path);
  const loaded = await loadModel(file, { allow: options.allow });
  const { model, folder } = loaded;
  const { connect, allow } = options;
  return {
    name: addressName(file),
    title: model.name,
    open: (where) => openBook(file, { ...options, fixed: where, whenBad: 'keep', cacheBytes: cacheBytes() }),
    rows: async (source, columns) => {
      const written = model.input.sources?.[source];
      if (!written)
        throw new DurchblickError('unknown-source', `a key has its filter in "${source}", which is no source of ${model.name}`, {
          hint: suggest(source, model.sources.keys(), 'sources'),
        });
      return over((await engineMaker(loaded, options))(), { [source]: written }, (store) => store.rows(source, columns));
    },
    // Where files lie on this machine is nobody's business.
    statements: async (question, where) =>
      (await statementsOf(file, () => question, { connect, allow, fixed: where })).replaceAll(`${folder}${sep}`, ''),
  };
};

const keysIn = async (file: string, models: readonly string[]): Promise<readonly Key[]> => {
  const text = await readFile(file, 'utf8').catch(async (error: unknown) => {
    throw await missingFile(error, { path: file, what: 'the keys', inFolder: 'Name the file of keys in it.' });
  });
  const { value, locate } = readYaml(text, file);
  return keysOf(value, (path) => locate(path.map(String), 'value'), models);
};

const TYPES: Readonly<Record<string, string>> = {
  '.html': 'text/html; charset=utf-8',
  '.js': 'text/javascript; charset=utf-8',
  '.css': 'text/css; charset=utf-8',
  '.wasm': 'application/wasm',
  '.svg': 'image/svg+xml',
};

/** The page as it lies in the package: the explorer, told that it is served. */
const pageIn = (folder: string) => async (path: string) => {
  const name = path === '' ? 'index.html' : path;
  const file = resolve(folder, name);
  const type = TYPES[extname(file)];
  if (type === undefined || !file.startsWith(folder) || !(await isThere(file))) return undefined;
  const content = await readFile(file);
  return name === 'index.html'
    ? { type, content: content.toString('utf8').replace('<meta name="server" content="">', '<meta name="server" content="models">') }
    : { type, content };
};

const versionOf = async (): Promise<string> =>
  (JSON.parse(await readFile(new URL('../../package.json', import.meta.url), 'utf8')) as { version: string }).version;

/** Ends when told to: requests under way may finish within a grace. */
const untilTold = ({ close, closeNow }: Pick<Front, 'close' | 'closeNow'>, graceSeconds: number): Promise<number> =>
  new Promise((done) => {
    const end = (): void => {
      const late = setTimeout(() => {
        closeNow();
        done(1);
      }, graceSeconds * 1000);
      close().then(
        () => {
          clearTimeout(late);
          done(0);
        },
        () => done(1),
      );
    };
    process.once('SIGTERM', end);
    process.once('SIGINT', end);
  });

const makeKey = async (name: string): Promise<number> => {
  const { key, hash } = newKey();
  await deliver(`keys:\n  - { name: ${JSON.stringify(name)}, hash: "${hash}" }\n`, undefined);
  toStderr(`the key of ${name}, told this once: ${key}\n`);
  return 0;
};

/** The models that are named, each under a name of its own. */
const modelsFor = async (
  given: readonly string[],
  options: ServeCommandOptions,
  keyCount: (models: readonly ServedModel[]) => Promise<number>,
) => {
  const paths = await pathsOf(given);
  const memory = wholeNumber(options.memory, '--memory', 1, 1_000_000) * 2 ** 20;
  let books = paths.length;
  const models = await Promise.all(paths.map((path) => servedModel(path, options, () => Math.floor(memory / books))));
  const twice = models.find(({ name }, k) => models.findIndex((other) => other.name === name) < k);
  if (twice)
    throw new DurchblickError('doubled-name', `two models would be at /models/${twice.name}`, {
      hint: 'A model is named after its file, or the folder of its model.yaml.',
    });
  books *= await keyCount(models);
  return models;
};

/** Milliseconds for what runs when the front is gone. */
const ORPHAN = 3000;

/** Answers the requests that the front passes on, until the front is gone. */
const compute = async (
  given: readonly string[],
  options: ServeCommandOptions,
  { socketPath, isTerminal, begin }: ComputingHere,
): Promise<number> => {
  let keys: readonly Key[] | undefined;
  const models = await modelsFor(given, options, async (all) => {
    keys =
      options.keys === undefined
        ? undefined
        : await keysIn(
            options.keys,
            all.map(({ name }) => name),
          );
    return new Set(keys?.map(({ name, where, rights }) => (rights.length > 0 ? name : JSON.stringify(where ?? null))) ?? ['']).size;
  });
  const folder = fileURLToPath(new URL('../explorer/', import.meta.url));
  const server = await serverOf({
    models,
    ...(keys ? { keys } : {}),
    version: await versionOf(),
    atOnce: wholeNumber(options.atOnce, '--at-once', 1, 1000),
    seconds: secondsOf(options),
    log: isTerminal ? undefined : { write: (line) => void process.stderr.write(line) },
    ...((await isThere(folder)) ? { page: pageIn(folder) } : {}),
  });
  await server.listen({ path: socketPath });
  await begin(models.map(({ name, title }) => ({ name, title })));
  // The front is gone, and its requests with it.
  setTimeout(() => process.exit(1), ORPHAN).unref();
  await server.close();
  return 0;
};

const secondsOf = ({ timeout }: ServeCommandOptions): number => wholeNumber(timeout, '--timeout', 1, 86_400);

/** Says in the log, or to a person, that the process that computes was replaced. */
const sayReplaced = (why: 'stuck' | 'ended', seconds: number): void => {
  const message = why === 'stuck' ? `computation blocked for ${seconds} seconds: restarted` : 'computation ended: restarted';
  toStderr(process.stderr.isTTY ? `${message}\n` : `${JSON.stringify({ level: 50, time: Date.now(), code: why, msg: message })}\n`);
};

const checkNumbers = (options: ServeCommandOptions): { readonly port: number; readonly grace: number } => {
  const port = wholeNumber(options.port, '--port', 0, 65_535);
  wholeNumber(options.atOnce, '--at-once', 1, 1000);
  secondsOf(options);
  if (!isLoopback(options.host) && options.keys === undefined)
    throw new DurchblickError('keys-needed', `--host ${options.host} can be reached by others, and there are no keys`, {
      hint: 'Make one with `npx durchblick serve --new-key NAME`, and name its file with --keys.',
    });
  return { port, grace: wholeNumber(options.grace, '--grace', 0, 3600) };
};

/** Serves models until SIGTERM or SIGINT: one process listens, another one computes. */
export const serve = async (given: readonly string[], options: ServeCommandOptions): Promise<number> => {
  if (options.newKey !== undefined) return makeKey(options.newKey);
  const { port, grace } = checkNumbers(options);
  const here = computingHere();
  if (here) return compute(given, options, here);
  const seconds = secondsOf(options);
  let models: readonly Served[] = [];
  const start = async (): Promise<Started> => {
    const started = await startComputing();
    models = started.models;
    return started;
  };
  const front = await createFront({ start, seconds, replaced: (why) => sayReplaced(why, seconds) }).catch((error: unknown) => {
    if (error instanceof NotStarted) return error;
    throw error;
  });
  if (front instanceof NotStarted) return front.exitCode;
  const address = await listenAt(listening(front), { host: options.host, port });
  const list = models.map(({ name, title }) => `  ${dim(`${address}/models/${name}`)}  ${title}\n`).join('');
  await deliver(`${bold(address)} answers; Ctrl+C ends it\n${list}`, undefined, 'words');
  return untilTold(front, grace);
};
