import { expect, test } from 'vitest';
import { type DurchblickError, defineModel, open } from '../../src/index.ts';
import { engineOver } from '../setup/builders.ts';

/** Counts rows by day of one column with a format, as far as they are dates. */
const daysOf = async (
  values: readonly unknown[],
  format: string | undefined,
  { timeZone = 'UTC', blankDates = [] as readonly (string | number)[], onBadDate = 'error' as 'error' | 'blank' } = {},
) => {
  const model = defineModel({
    timeZone,
    facts: {
      f: {
        source: 'f',
        dates: { day: { column: 'd', ...(format ? { format } : {}), blankDates, onBadDate } },
        measures: { n: { count: 'rows' } },
      },
    },
  });
  const book = await open(model, await engineOver({ f: values.map((d) => ({ d })) }));
  try {
    const { rows } = await book.ask({ show: ['n'], by: 'day', gaps: 'hide' });
    const second = await book.verify({ show: ['n'], by: 'day', gaps: 'hide' });
    expect(second.different).toEqual([]);
    return rows.map(([day, count]) => (count === 1 ? day : `${day} ${count}`));
  } finally {
    await book.close();
  }
};

// biome-ignore format: one case a line
test.each<[string, readonly unknown[], string, readonly string[]]>([
  ['months by short names', ['05 Jan 2026', '28 FEB 2026', '1 may 2026', '31 Dec 2026'], 'd MMM yyyy', ['2026-01-05', '2026-02-28', '2026-05-01', '2026-12-31']],
  ['months by long names', ['January 5, 2026', 'SEPTEMBER 30, 2026', 'May 1, 2026'], 'MMMM d, yyyy', ['2026-01-05', '2026-05-01', '2026-09-30']],
  ['years of two digits, of this century to 68', ['05.01.26', '31.12.68', '01.01.00'], 'dd.MM.yy', ['2000-01-01', '2026-01-05', '2068-12-31']],
  ['and of the last from 69', ['01-Jan-69', '31-Dec-99'], 'dd-MMM-yy', ['1969-01-01', '1999-12-31']],
  ['days as spreadsheets count them', [1, 59, 61, 45992, 46027.75], 'serial', ['1900-01-01', '1900-02-28', '1900-03-01', '2025-12-01', '2026-01-05']],
  ['the same as texts', ['61', ' 45992 ', '46027.9999'], 'serial', ['1900-03-01', '2025-12-01', '2026-01-05']],
  ['seconds since 1970', [0, -1, 86399, 86400, 1767571200], 'unix', ['1969-12-31', '1970-01-01 2', '1970-01-02', '2026-01-05']],
  ['the same as texts, with decimals', ['0.5', '-0.5', '1767657599.999'], 'unix', ['1969-12-31', '1970-01-01', '2026-01-05']],
])('%s (D2)', async (_, values, format, days) => {
  expect(await daysOf(values, format)).toEqual(days);
});

test('seconds are days of the time zone of the model, daylight saving included (D2)', async () => {
  // 2026-03-28T23:30Z is the 29th in Berlin, at +1; 2026-03-29T22:00Z is the 30th, at +2.
  expect(await daysOf([1774740600, 1774821600, 1774821599], 'unix', { timeZone: 'Europe/Berlin' })).toEqual(['2026-03-29 2', '2026-03-30']);
});

test.each<[string, readonly unknown[], string | undefined]>([
  ['a month that is none', ['05 Jan 2026', '05 Foo 2026'], 'dd MMM yyyy'],
  ['a short name where the long one is asked for', ['5 January 2026', '5 Jan 2026'], 'd MMMM yyyy'],
  ['four digits where two are asked for', ['05.01.26', '05.01.2026'], 'dd.MM.yy'],
  ['a day that no month has', ['28 Feb 2026', '29 Feb 2026'], 'dd MMM yyyy'],
  ['the 29 February 1900 of spreadsheets', [61, 60], 'serial'],
  ['a serial of nothing', [61, 0], 'serial'],
  ['a serial beyond all days', [61, 2958466], 'serial'],
  ['milliseconds where seconds are meant', [1767571200, 1767571200000], 'unix'],
  ['a text that is no number', ['45992', '2026-01-05'], 'serial'],
])('%s is no date, and is told (D3)', async (_, values, format) => {
  await expect(daysOf(values, format)).rejects.toMatchObject({ code: 'bad-dates' } satisfies Partial<DurchblickError>);
  expect(await daysOf(values, format, { onBadDate: 'blank' })).toHaveLength(1);
});

test.each<[string, readonly unknown[], string | undefined, readonly (string | number)[]]>([
  ['a number of a key', [20260105, 0], undefined, [0]],
  ['a number of a serial', [46027, 0], 'serial', [0]],
  ['a number of seconds', [1767571200, -1], 'unix', ['-1']],
  ['a decimal', [46027.5, 0.5], 'serial', [0.5]],
  ['a text', ['05 Jan 2026', 'n/a'], 'dd MMM yyyy', ['n/a']],
  ['a day, however it is written', [46027, 2958465], 'serial', ['9999-12-31']],
])('%s may stand for no date (D3)', async (_, values, format, blankDates) => {
  expect(await daysOf(values, format, { blankDates })).toEqual(['2026-01-05']);
});
