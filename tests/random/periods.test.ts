// Two ways to ask for the same periods (U13).
import fc from 'fast-check';
import { expect, test } from 'vitest';
import type { Book, DurchblickError, Question } from '../../src/index.ts';
import { assertDraws } from '../setup/draws.ts';
import { data, openWorld, question, reading } from './world.ts';

/** Attributes that name the periods of a unit together. */
const NAMING: readonly (readonly [unit: string, per: readonly string[]])[] = [
  ['year', ['year']],
  ['season', ['season']],
  ['retail-month', ['retail-month']],
  ['month', ['year', 'month-of-year']],
  ['month', ['quarter', 'month-of-quarter']],
  ['quarter', ['year', 'quarter-of-year']],
  ['week', ['week-year', 'week-of-week-year']],
  ['fiscal-quarter', ['fiscal-year', 'fiscal-quarter-of-fiscal-year']],
  ['day', ['year', 'month-of-year', 'day-of-month']],
];
type Answered = readonly (readonly unknown[])[] | string;
/** Values by period and member of rows, or the code of the error. */
const valuesOf = async (book: Book, asked: Question, texts: number): Promise<Answered> => {
  try {
    const { rows } = await book.ask(asked);
    return rows.filter((row) => !row.slice(1, texts).includes('(none)')).map((row) => row.slice(texts));
  } catch (error) {
    return (error as DurchblickError).code;
  }
};

/** Readings whose other members or times are not those of the axis. */
const plain = reading.filter((text) => !text.includes(' across '));
const drawn = fc.record({
  naming: fc.constantFrom(...NAMING),
  show: fc.uniqueArray(plain, { minLength: 1, maxLength: 2 }),
  per: fc.constantFrom<string[]>([], ['region'], ['family'], ['weekday']),
  asked: question,
});

test('`per` periods equals `by` their unit; each value is explained as it is', async () => {
  await assertDraws(
    fc.asyncProperty(data, fc.array(drawn, { minLength: 6, maxLength: 6 }), async (rows, draws) => {
      const { book } = await openWorld(rows);
      for (const { naming, show, per: drawnPer, asked } of draws) {
        const [unit, names] = naming;
        // Days without a season have members of their own.
        const per = unit === 'season' ? [] : drawnPer;
        const { range, asOf, knownBy, where } = asked;
        const same = Object.fromEntries(Object.entries({ range, asOf, knownBy, where }).filter(([, value]) => value !== undefined));
        const byUnit = { ...same, show, by: unit, per } as Question;
        const byMembers = { ...same, show, per: [...names, ...per] } as Question;
        const wanted = await valuesOf(book, byUnit, 1 + per.length);
        expect(await valuesOf(book, byMembers, 1 + names.length + per.length), JSON.stringify(byMembers)).toEqual(wanted);
        if (typeof wanted === 'string') continue;
        const { rows: cells } = await book.ask(byMembers);
        const cell = cells[cells.length >> 1];
        if (!cell || !range) continue;
        const members = Object.fromEntries([...names, ...per].map((name, k) => [name, String(cell[1 + k])]));
        const { value } = await book.explain({ ...same, reading: show[0] as string, at: range, members });
        expect(value, JSON.stringify([byMembers, members])).toBe(cell[1 + names.length + per.length]);
      }
      await book.close();
    }),
    { few: 8, many: 150 },
  );
}, 600_000);
