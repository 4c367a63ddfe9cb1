import fc from 'fast-check';
import { expect, test } from 'vitest';
import { DurchblickError, type Question } from '../../src/index.ts';
import { type RefAnswer, reference } from '../reference/answer.ts';
import type { RefWorld } from '../reference/ground.ts';
import { assertDraws } from '../setup/draws.ts';
import { type Data, data, openWorld, PRODUCTS, question, REGIONS } from './world.ts';

/** Days dense enough to hit every version of a customer. */
const VERSION_DAYS = Array.from({ length: 200 }, (_, k) => 19000 + 10 * k);

type Row = readonly (string | number | null)[];

/** Rows by their texts; the product names periods by label, the reference by first day. */
const byTexts = (rows: readonly Row[], texts: number, rename: (label: string) => string): Map<string, readonly (number | null)[]> =>
  new Map(rows.map((row) => [JSON.stringify([rename(String(row[0])), ...row.slice(1, texts)]), row.slice(texts) as (number | null)[]]));

const close = (a: number | null, b: number | null): boolean =>
  a === b || (a !== null && b !== null && Math.abs(a - b) <= 1e-9 * Math.max(1, Math.abs(a), Math.abs(b)));

const compare = (
  name: string,
  asked: Question,
  actual: Map<string, readonly (number | null)[]>,
  wanted: Map<string, readonly (number | null)[]>,
): void => {
  for (const [key, values] of wanted) {
    const found = actual.get(key);
    const same = found !== undefined && values.every((value, k) => close(value, found[k]));
    if (!same)
      expect.fail(`${name} ${key}: reference ${JSON.stringify(values)}, product ${JSON.stringify(found)}\n${JSON.stringify(asked)}`);
  }
  const more = [...actual.keys()].find((key) => !wanted.has(key));
  if (more !== undefined) expect.fail(`${name} ${more} is not in the reference\n${JSON.stringify(asked)}`);
};

/** Whether a filter names a member that nobody can see: one without rows, or one that fixed filters hide (M3, V3). */
const asksUnseen = (world: RefWorld, asked: Question): boolean => {
  const kept = (members: Readonly<Record<string, string>>): boolean =>
    Object.entries(world.fixed).every(([name, keep]) => members[name] === undefined || keep.includes(members[name]));
  const seen = Object.values(world.rows).flatMap((rows) =>
    rows
      .filter(({ members }) => kept(members))
      .flatMap(({ members, now }) => [members, ...VERSION_DAYS.map((d) => ({ ...members, ...now?.(d) }))]),
  );
  const known: Readonly<Record<string, readonly Readonly<Record<string, string>>[]>> =
    Object.keys(world.fixed).length > 0
      ? Object.fromEntries(['region', 'family', 'product', 'channel', 'segment', 'present-customer.segment'].map((name) => [name, seen]))
      : { region: Object.values(REGIONS), family: Object.values(PRODUCTS), product: Object.values(PRODUCTS), channel: seen };
  return Object.entries(asked.where ?? {}).some(([name, wanted]) =>
    [wanted].flat().some((text) => known[name] && !known[name].some((members) => kept(members) && members[name] === text)),
  );
};

const holds = async (drawn: Data, questions: readonly Question[]): Promise<void> => {
  const { book, world } = await openWorld(drawn);
  for (const asked of questions) {
    // Periods in `per` are held to the same periods on the axis (periods.test.ts).
    if (asked.per?.some((name) => ['year', 'season'].includes(name))) continue;
    if (asksUnseen(world, asked)) {
      await expect(book.ask(asked)).rejects.toMatchObject({ code: 'unknown-member' });
      continue;
    }
    let wanted: RefAnswer | undefined;
    try {
      wanted = reference(world, asked);
    } catch (error) {
      if ((error as Error).message !== 'C7') throw error;
    }
    if (!wanted) {
      const code = await book.ask(asked).then(
        () => 'an answer',
        (error: DurchblickError) => error.code,
      );
      expect(code, JSON.stringify(asked)).toBe('cannot-compare');
      continue;
    }
    let result: Awaited<ReturnType<typeof book.ask>>;
    try {
      result = await book.ask(asked);
    } catch (error) {
      if (error instanceof DurchblickError) throw new Error(`${error.code}: ${error.message}\n${JSON.stringify(asked)}`);
      throw error;
    }
    const texts = 1 + (asked.per?.length ?? 0);
    expect(result.periods.length, JSON.stringify(asked)).toBe(wanted.labels.length);
    const names = new Map(result.periods.map((period, k) => [period.label, wanted.labels[k]]));
    const rename = (label: string) => names.get(label) ?? label;
    const keys = (rows: readonly Row[]) => rows.map(([label, ...row]) => [rename(String(label)), ...row.slice(0, texts - 1)].join(' '));
    expect(keys(result.rows), JSON.stringify(asked)).toEqual(keys(wanted.rows));
    compare(
      'row',
      asked,
      byTexts(result.rows, texts, rename),
      byTexts(wanted.rows, texts, (label) => label),
    );
    compare(
      'total',
      asked,
      byTexts(result.totals, texts, rename),
      byTexts(wanted.totals, texts, (label) => label),
    );
  }
  await book.close();
};

test('the memory engine answers as the row-by-row reference does (A to G, M, R1)', async () => {
  await assertDraws(fc.asyncProperty(data, fc.array(question, { minLength: 8, maxLength: 8 }), holds), { few: 15, many: 250 });
}, 600_000);
