// What an engine answered over files that have not changed since: whoever asks the same again, in this process or a later one, opens
// no database. What was never asked is asked of the database, which is opened then.

import { readFile } from 'node:fs/promises';
import { createRequire } from 'node:module';
import { deserialize, serialize } from 'node:v8';
import { stableText } from '../../basics/fingerprint.ts';
import type { FolderFiles } from '../../files/folder.ts';
import type { Model } from '../../model/model.ts';
import { type Cube, type CubeRequest, filterKey } from '../../plan/request.ts';
import { lastingKeys } from '../../plan/request-keys.ts';
import type { OpenOptions, Store } from '../engine.ts';
import { makeFolder, notKept, pathFor, type Shelf, sha, shrink, touch, writeAside } from './kept-folder.ts';

/** Another layout of answers has another number. */
const FORMAT = 1;
/** Answers of one state together take no more bytes; further ones are not kept. */
const MOST_ANSWERS = 16 * 2 ** 20;
const SUM = 32;

/** Answers by what was asked, each as bytes. */
interface Answers {
  readonly path: string;
  readonly known: Map<string, Uint8Array>;
  size: number;
  isNew: boolean;
}

const recall = <T>({ known }: Answers, key: string): { readonly value: T } | undefined => {
  const bytes = known.get(sha(key));
  return bytes && { value: deserialize(bytes) as T };
};

/** About how many bytes a value takes: what is far too large is not written out only to be measured. */
const roughBytes = (value: unknown): number => {
  if (ArrayBuffer.isView(value)) return value.byteLength;
  // Rows of one list are much alike.
  if (Array.isArray(value)) return value.length * (value.length === 0 ? 0 : roughBytes(value[0]));
  if (typeof value !== 'object' || value === null) return typeof value === 'string' ? value.length : 8;
  return Object.values(value).reduce((sum: number, own) => sum + roughBytes(own), 0);
};

const remember = (answers: Answers, key: string, value: unknown): void => {
  if (answers.size + roughBytes(value) > MOST_ANSWERS) return;
  const bytes = serialize(value);
  if (answers.size + bytes.length > MOST_ANSWERS) return;
  answers.known.set(sha(key), bytes);
  answers.size += bytes.length;
  answers.isNew = true;
};

/** Answers of a file that is whole: it begins with the checksum of what stands behind. */
const readAnswers = async (path: string): Promise<Answers> => {
  const bytes = await readFile(path).catch(() => undefined);
  const isWhole = bytes !== undefined && bytes.toString('latin1', 0, SUM) === sha(bytes.subarray(SUM));
  const known = isWhole ? (deserialize(bytes.subarray(SUM)) as Map<string, Uint8Array>) : new Map<string, Uint8Array>();
  return { path, known, size: [...known.values()].reduce((sum, { length }) => sum + length, 0), isNew: false };
};

const saveAnswers = async (answers: Answers, shelf: Shelf): Promise<void> => {
  if (!answers.isNew) return;
  answers.isNew = false;
  try {
    await makeFolder(shelf.folder);
    const body = serialize(answers.known);
    await writeAside(answers.path, Buffer.concat([Buffer.from(sha(body), 'latin1'), body]));
    await shrink(shelf.folder);
  } catch (error) {
    notKept(shelf, 'what was answered', error);
  }
};

/** Another DuckDB may answer in another way. */
const duckdbVersion = (): string => {
  try {
    return createRequire(import.meta.url)('@duckdb/node-api/package.json').version;
  } catch {
    return '';
  }
};

/**
 * The answers of one state of a model's files under fixed filters; undefined where rows come from elsewhere as well, or are so few
 * that nothing is gained.
 */
export const answersFor = async (model: Model, { fixed, hiding }: OpenOptions, files: FolderFiles, { folder }: Shelf) => {
  const paths = [];
  for (const source of model.sources.values()) {
    if (source.kind !== 'file') return undefined;
    paths.push(source.file);
  }
  const found = (await Promise.all(paths.map((path) => files.find(path)))).flat();
  const filters = [[...fixed].map(([fact, list]) => [fact, list.map(filterKey)]), hiding.map(filterKey)];
  const base = await pathFor(folder, 'answers', found, [FORMAT, duckdbVersion(), stableText(model.input), filters]);
  return base === undefined ? undefined : readAnswers(`${base}.answers`);
};

/** What a store says of itself; all else it is asked. */
const saidBy = ({ engine, notes, unreadable, reads, scans }: Store) => ({
  engine,
  notes,
  scans,
  ...(unreadable ? { unreadable } : {}),
  ...(reads ? { reads } : {}),
});
type Said = ReturnType<typeof saidBy>;

/** A store that answers what is known, and opens another one for what is not. */
export const answeringStore = async (answers: Answers, shelf: Shelf, open: () => Promise<Store>): Promise<Store> => {
  let opening: Promise<Store> | undefined;
  let real: Store | undefined;
  const opened = async (): Promise<Store> => {
    opening ??= open();
    real = await opening;
    return real;
  };
  const answered = async <T>(key: string, ask: (of: Store) => Promise<T>): Promise<T> => {
    const before = recall<T>(answers, key);
    if (before) return before.value;
    const value = await ask(await opened());
    remember(answers, key, value);
    return value;
  };
  const call = (name: string, ...args: readonly unknown[]): string => JSON.stringify([name, ...args]);
  const cube = async (request: CubeRequest, of: () => Promise<Cube>): Promise<Cube> => {
    const key = lastingKeys.cube(request, request.aggregates);
    const before = recall<Omit<Cube, 'segments'>>(answers, key);
    if (before) return { ...before.value, segments: request.segments };
    const { tuples, columns, segments } = await of();
    remember(answers, key, { tuples, columns });
    return { tuples, columns, segments };
  };
  const said = await answered<Said>('said', async (of) => saidBy(of));
  if (!real) {
    await touch(answers.path);
    shelf.tell({ source: 'answers', state: 'used', message: `answers were read from ${answers.path}` });
  }
  return {
    ...said,
    rows: (source, columns) => answered(call('rows', source, columns), (of) => of.rows(source, columns)),
    holidays: (file, timeZone, first, last) =>
      answered(call('holidays', file, timeZone, first, last), (of) => of.holidays(file, timeZone, first, last)),
    bounds: (fact, knownBy, which) =>
      answered(call('bounds', fact.name, knownBy ?? null, which ?? null), (of) => of.bounds(fact, knownBy, which)),
    members: (attribute) => answered(call('members', attribute.key), (of) => of.members(attribute)),
    combinations: (dimension, attributes) =>
      answered(call('combinations', dimension.name, attributes), (of) => of.combinations(dimension, attributes)),
    lateRoles: (fact) => answered(call('late', fact.name), (of) => of.lateRoles(fact)),
    textDates: (fact) => answered(call('texts', fact.name), (of) => of.textDates(fact)),
    kind: (source, column) => answered(call('kind', source, column), (of) => of.kind(source, column)),
    cubes: (requests, signal) =>
      Promise.all(requests.map((request) => cube(request, async () => (await (await opened()).cubes([request], signal))[0]))),
    events: (request, signal) => answered(call('events', lastingKeys.events(request)), (of) => of.events(request, signal)),
    seenKeys: (request, signal) =>
      answered(call('seen', lastingKeys.events(request)), (of) => (of.seenKeys as NonNullable<Store['seenKeys']>)(request, signal)),
    tallies: (request, signal) => answered(lastingKeys.tallies(request), (of) => of.tallies(request, signal)),
    sample: async (request, signal) => (await opened()).sample(request, signal),
    factRows: async (fact, columns) => (await opened()).factRows(fact, columns),
    fetched: () => real?.fetched?.() ?? 0,
    // The database may be opened in the middle of a question.
    readsFiles: 'when-asked',
    close: async () => {
      await saveAnswers(answers, shelf);
      await (await opening?.catch(() => undefined))?.close();
    },
  };
};
