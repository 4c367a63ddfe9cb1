import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, statSync, utimesSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { beforeEach, describe, expect, test } from 'vitest';
import { duckdb } from '../../src/engines/duckdb/index.ts';
import { memory } from '../../src/engines/memory/index.ts';
import { folderFiles } from '../../src/files/node.ts';
import { defineModel, open, type Question } from '../../src/index.ts';
import { bytes } from '../setup/same.ts';

const LINES = 150_000;
const csv = (change = ''): string =>
  `ordered_on,shipped_on,region,customer,amount\n${Array.from({ length: LINES }, (_, k) => `2026-0${1 + (k % 6)}-1${k % 10},2026-0${2 + (k % 6)}-0${1 + (k % 9)},R${k % 7},C${k % 911},${(k % 1000) / 4}`).join('\n')}\n${change}`;
const CSV = csv();

const model = defineModel({
  sources: { lines: { file: 'lines.csv' }, seasons: { file: 'seasons.csv' } },
  calendar: { periods: { season: { table: 'seasons', start: 'starts', label: 'name' } } },
  dimensions: { region: {} },
  facts: {
    lines: {
      source: 'lines',
      dates: { ordered: 'ordered_on', shipped: 'shipped_on' },
      links: { region: 'region' },
      measures: {
        revenue: { sum: 'amount', role: 'ordered' },
        largest: { max: 'amount', role: 'ordered' },
        customers: { countDistinct: 'customer', role: 'ordered' },
        wait: { median: 'ordered/shipped', role: 'ordered' },
        backlog: { sum: 'amount', open: 'ordered/shipped' },
      },
    },
  },
});
const QUESTIONS: readonly Question[] = [
  { show: ['revenue', 'revenue over mtd vs previous', 'revenue on shipped', 'backlog'], by: 'month', per: ['region'], totals: true },
  { show: ['customers over rolling-28-days', 'largest', 'wait'], by: 'week', where: { region: ['R1', 'R2'] } },
  { show: ['revenue'], by: 'season', per: ['weekday'] },
  { show: ['customers'], per: ['region'], order: ['customers desc'], limit: 2, rest: true },
];

describe('what was answered over large files is kept', () => {
  let folder: string;
  beforeEach(() => {
    folder = mkdtempSync(join(tmpdir(), 'answers-'));
    writeFileSync(join(folder, 'lines.csv'), CSV);
    writeFileSync(join(folder, 'seasons.csv'), 'starts,name\n2026-01-01,Winter\n2026-03-01,Spring\n2026-06-01,Summer\n');
  });
  const kept = (): string => join(folder, '.durchblick');
  const answers = (): string[] => readdirSync(kept()).flatMap((name) => (name.endsWith('.answers') ? [join(kept(), name)] : []));

  /** Opens the model as a new process would, and answers questions; what was told of the folder, and rows that a database gave. */
  const asked = async (questions: readonly Question[], { where, midway }: { where?: { region: string[] }; midway?: () => void } = {}) => {
    const told: string[] = [];
    const engine = duckdb({ folder, keep: kept(), kept: ({ source, state }) => void told.push(`${source} ${state}`) });
    const book = await open(model, engine, where ? { where } : {});
    midway?.();
    const found: string[] = [];
    for (const question of questions) found.push(await bytes(book as never, question));
    const { fetched } = book.cost();
    await book.close();
    return { found, told, fetched };
  };
  const inMemory = async (questions: readonly Question[], where?: { region: string[] }) => {
    const book = await open(model, memory({}, { files: folderFiles(folder) }), where ? { where } : {});
    const found: string[] = [];
    for (const question of questions) found.push(await bytes(book as never, question));
    await book.close();
    return found;
  };

  test('the same asked again needs no database, and is the same to the byte (R3)', async () => {
    const first = await asked(QUESTIONS);
    expect(first.told).toEqual(['lines.csv made']);
    expect(first.fetched).toBeGreaterThan(0);
    const second = await asked(QUESTIONS);
    expect(second).toEqual({ found: first.found, told: ['answers used'], fetched: 0 });
    expect(second.found).toEqual(await inMemory(QUESTIONS));
  });

  test('what was never asked is asked of the rows, and known from then on', async () => {
    await asked(QUESTIONS.slice(0, 1));
    const more = await asked(QUESTIONS);
    expect(more.told).toEqual(['answers used', 'lines.csv used']);
    expect(more.found).toEqual(await inMemory(QUESTIONS));
    expect(await asked(QUESTIONS)).toMatchObject({ told: ['answers used'], fetched: 0 });
  });

  test('of a file that changed nothing is taken from before, in size or in time alone (V6)', async () => {
    const first = await asked(QUESTIONS);
    writeFileSync(join(folder, 'lines.csv'), CSV.replace(/R1,C/g, 'R2,C'));
    const later = new Date(statSync(join(folder, 'lines.csv')).mtimeMs + 2000);
    utimesSync(join(folder, 'lines.csv'), later, later);
    const second = await asked(QUESTIONS);
    expect(second.told).toEqual(['lines.csv made']);
    expect(second.found).not.toEqual(first.found);
    expect(second.found).toEqual(await inMemory(QUESTIONS));
    // A small one counts as well: the seasons.
    writeFileSync(join(folder, 'seasons.csv'), 'starts,name\n2026-01-01,Winter\n2026-04-01,Spring\n2026-06-01,Summer\n');
    const third = await asked(QUESTIONS);
    expect(third.told).not.toContain('answers used');
    expect(third.found).toEqual(await inMemory(QUESTIONS));
  });

  test.each([
    ['all is known', QUESTIONS],
    ['nothing is known but how to open', QUESTIONS.slice(0, 1)],
  ])('a file that changes under an open book is followed: %s (V6)', async (_, before) => {
    await asked(before);
    const found = await asked(QUESTIONS, { midway: () => writeFileSync(join(folder, 'lines.csv'), csv('2026-06-30,,R9,C1,1000000\n')) });
    expect(found.found).toEqual(await inMemory(QUESTIONS));
    expect(found.found[0]).toContain('R9');
  });

  test.each<[string, (bytes: Buffer) => Buffer]>([
    ['a byte in the middle', (bytes) => bytes.fill(bytes[bytes.length >> 1] ^ 0xff, bytes.length >> 1, (bytes.length >> 1) + 1)],
    ['the end is missing', (bytes) => bytes.subarray(0, bytes.length - 7)],
    ['nothing in it', () => Buffer.alloc(0)],
    ['something else', () => Buffer.from('{"check":"","note":{}}')],
  ])('answers that are damaged are found anew, never believed: %s', async (_, hurt) => {
    const { found } = await asked(QUESTIONS);
    const [path] = answers();
    writeFileSync(path, hurt(readFileSync(path)));
    expect(await asked(QUESTIONS)).toMatchObject({ found, told: ['lines.csv used'] });
    expect(await asked(QUESTIONS)).toMatchObject({ found, told: ['answers used'] });
  });

  test('who sees less has answers of its own (V3), and another model too', async () => {
    const where = { region: ['R1'] };
    const all = await asked(QUESTIONS);
    const some = await asked(QUESTIONS, { where });
    expect(some.told).not.toContain('answers used');
    expect(some.found).toEqual(await inMemory(QUESTIONS, where));
    expect(await asked(QUESTIONS, { where })).toMatchObject({ found: some.found, fetched: 0 });
    expect(await asked(QUESTIONS)).toMatchObject({ found: all.found, fetched: 0 });
    expect(answers()).toHaveLength(2);
  });

  test('a folder that cannot be written costs nothing but time, and is told once', async () => {
    writeFileSync(kept(), 'a file stands where the folder should be');
    const { found, told } = await asked(QUESTIONS);
    expect(told).toEqual(['lines.csv not-kept']);
    rmSync(kept());
    expect(found).toEqual(await inMemory(QUESTIONS));
    expect(existsSync(kept())).toBe(false);
  });
});
