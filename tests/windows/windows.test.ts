import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { type Book, calendar, isoOf, open, toDay } from '../../src/index.ts';
import { daysInWords } from '../../src/result/caption.ts';
import { layWindow } from '../../src/windows/lay.ts';
import { indexAt, placeOf } from '../../src/windows/place.ts';
import { parseShift, parseWindow } from '../../src/windows/syntax.ts';
import { engineOver, factModel, openBook, table } from '../setup/builders.ts';

const season = (label: string, start: string, end: string) => ({ label, start: toDay(start), end: toDay(end) });
const found = calendar({
  from: '2015-01-01',
  to: '2035-12-31',
  yearSystems: { fiscal: { starts: '--07-01', label: 'FY{year}' } },
  periods: { season: [season('Spring', '2026-02-20', '2026-05-31'), season('Autumn', '2026-09-01', '2026-11-15')] },
});
const units = [...found.units.keys()];
const laid = (text: string, anchor: string, asOf = anchor): string | undefined => {
  const day = toDay(anchor);
  const place = placeOf({ start: day, end: day, index: indexAt(found, found.unit('day'), day) }, day);
  const span = layWindow(parseWindow(text, units), place, {
    calendar: found,
    asOf: toDay(asOf),
    horizon: 'plan',
    first: toDay('2023-01-02'),
    last: toDay('2026-08-15'),
  });
  return span && (span[0] > span[1] ? 'empty' : `${isoOf(span[0])}..${isoOf(span[1])}`);
};

describe('W1 to W5: windows laid by hand', () => {
  test.each([
    ['P28D/anchor', '2026-08-15', '2026-07-19..2026-08-15'],
    ['anchor/P7D', '2026-08-15', '2026-08-15..2026-08-21'],
    ['P3M/anchor', '2026-08-15', '2026-05-16..2026-08-15'],
    ['P3M/anchor', '2026-02-28', '2025-12-01..2026-02-28'],
    ['P1Y2M/anchor', '2026-08-15', '2025-06-16..2026-08-15'],
    ['P14D/anchor-P1D', '2026-08-15', '2026-08-01..2026-08-14'],
    ['start(month)/anchor', '2026-08-15', '2026-08-01..2026-08-15'],
    ['start(-1 month)/end(-1 month)', '2026-03-31', '2026-02-01..2026-02-28'],
    ['start(-1 year)/anchor-P1Y', '2024-02-29', '2023-01-01..2023-02-28'],
    ['start(quarter)/done(month)', '2026-08-15', '2026-07-01..2026-07-31'],
    ['start(quarter)/done(month)', '2026-07-15', 'empty'],
    ['start(quarter)/done(month)', '2026-07-31', '2026-07-01..2026-07-31'],
    ['since(week)/done(week)', '2026-08-15', '2026-08-03..2026-08-09'],
    ['since(week)/done(week)', '2026-08-16', '2026-08-10..2026-08-16'],
    ['start(fiscal-year)/anchor', '2026-06-30', '2025-07-01..2026-06-30'],
    ['start(fiscal-year)/end(+1 fiscal-quarters)', '2026-08-15', '2026-07-01..2026-12-31'],
    ['first/anchor', '2026-08-15', '2023-01-02..2026-08-15'],
    ['2026-01-10/last', '2026-08-15', '2026-01-10..2026-08-15'],
    ['anchor/start(month)', '2026-08-15', 'empty'],
    // U7: on a day without a period, start looks at the next one and end at the previous.
    ['anchor/start(season)', '2026-08-15', '2026-08-15..2026-09-01'],
    ['end(season)/anchor', '2026-08-15', '2026-05-31..2026-08-15'],
    ['end(+1 seasons)/P1D', '2026-08-15', '2026-11-15..2026-11-15'],
  ])('%s at %s is %s', (text, anchor, days) => expect(laid(text, anchor)).toBe(days));

  test.each([
    ['start(month)', /two ends/],
    ['P3M/P1M', /both ends are durations/],
    ['start(mont)/anchor', /no unit "mont"/],
    ['anchr/anchor', /"anchr" is not a point/],
    ['anchor/anchor+1D', /duration/],
    ['done(-1 month)/anchor', /without a number/],
    ['2026-02-30/anchor', /no day/],
    ['a/b/c', /one slash/],
  ])('%s is refused', (text, message) => expect(() => parseWindow(text, units)).toThrow(message));

  test('C3: a shift may not mix months with days', () => expect(() => parseShift('-P1M2D', units)).toThrow(/mix/));

  test('W9: no point moves backwards as the anchor goes on', () => {
    const points = [
      'anchor',
      'asof',
      'start(month)',
      'end(month)',
      'start(-1 quarter)',
      'end(+2 weeks)',
      ...'done(month) since(fiscal-quarter) anchor-P1M end(month)-P1M+P3D start(week-year)+P1Y 2026-01-31-P1M'.split(' '),
    ];
    fc.assert(
      fc.property(
        fc.constantFrom(...points),
        fc.integer({ min: toDay('2018-01-01'), max: toDay('2032-01-01') }),
        fc.integer({ min: 1, max: 40 }),
        (point, day, step) => {
          const at = (d: number) => laid(`${point}/2035-01-01`, isoOf(d), '2026-08-15')?.slice(0, 10) as string;
          expect(at(day) <= at(day + step)).toBe(true);
        },
      ),
      { numRuns: 2000 },
    );
  });
});

/** One row a day with the amount 1, so that every value is a number of days. */
const days = async (asOf: string): Promise<Book> => {
  const [first, last] = [toDay('2023-01-01'), toDay(asOf)];
  const rows = Array.from({ length: last - first + 1 }, (_, i) => ({ day: isoOf(first + i), n: 1 }));
  const model = factModel(
    'f',
    { source: 'rows', dates: { on: 'day', planned: { column: 'day', horizon: 'plan' } }, measures: { n: { sum: 'n', role: 'on' } } },
    {
      calendar: {
        yearSystems: { retail: { pattern: '4-4-5', ends: 'saturday nearest june 30', label: 'R{year}' } },
        periods: {
          season: { rows: { Autumn: { starts: '2025-09-01', ends: '2025-10-31' }, Spring: { starts: '2026-02-20', ends: '2026-05-31' } } },
        },
      },
      comparisons: { january: { base: '2026-01' }, 'whole-month-before': { shift: '-P1M', match: 'whole' } },
    },
  );
  return open(model, engineOver({ rows }), { clock: () => Date.parse('2026-11-01T23:30:00Z') });
};

describe('C1 to C10: the days compared', () => {
  const cases: [string, string, string, string, string][] = [
    ['n vs year-earlier', 'month', '2026-08', '2026-08-15', '2025-08-01..2025-08-15'],
    ['n vs year-earlier', 'month', '2026-02', '2026-02-28', '2025-02-01..2025-02-28'],
    ['n vs year-earlier', 'month', '2024-02', '2024-02-29', '2023-02-01..2023-02-28'],
    ['n vs year-earlier', 'day', '2025-02-28', '2025-03-01', '2024-02-28..2024-02-28'],
    ['n vs previous', 'month', '2026-03', '2026-03-31', '2026-02-01..2026-02-28'],
    ['n vs previous', 'month', '2026-03', '2026-03-30', '2026-02-01..2026-02-28'],
    ['n vs whole-month-before', 'month', '2026-08', '2026-08-10', '2026-07-01..2026-07-31'],
    ['n vs previous', 'week', '2026-W33', '2026-08-12', '2026-08-03..2026-08-05'],
    ['n vs year-earlier', 'week', '2026-W33', '2026-08-16', '2025-08-11..2025-08-17'],
    ['n vs [-P52W]', 'month', '2026-08', '2026-08-15', '2025-08-02..2025-08-16'],
    // The counterpart has fewer days.
    ['n over season-to-date vs previous', 'season', 'Spring', '2026-05-20', '2025-09-01..2025-10-31'],
    ['n vs previous', 'month', '2026-07-10/2026-08-31', '2026-08-31', '2026-06-10..2026-06-30'],
    // A range counts in its own periods.
    ['n vs previous', '', '2026-05/2026-06', '2026-08-15', '2026-03-01..2026-04-30'],
    ['n on planned vs previous', 'month', '2026-08', '2026-08-15', '2026-07-01..2026-07-31'],
    // C9: of comparisons of comparisons, the other side of the outermost one.
    ['(n vs previous) vs year-earlier', 'month', '2026-03', '2026-08-15', '2025-02-01..2025-02-28'],
    ['(n vs previous as change) vs year-earlier as difference', 'month', '2026-03', '2026-08-15', '2025-02-01..2025-03-31'],
    ['(n vs [as-of -P7D]) vs year-earlier', 'month', '2026-03', '2026-08-15', '2025-03-01..2025-03-31'],
    ['n vs [+P7D]', 'month', '2026-08', '2026-08-15', '2026-08-08..2026-08-15'],
    ['n vs january', 'month', '2026-05', '2026-08-15', '2026-01-01..2026-01-31'],
    ['n over ytd vs year-earlier', 'month', '2026-08', '2026-08-15', '2025-01-01..2025-08-15'],
    ['n over ytd vs [-P52W]', 'month', '2026-06', '2026-08-15', '2025-01-02..2025-07-01'],
    ['n over [asof-P6D/asof] vs year-earlier', 'month', '2026-08', '2026-08-15', '2025-08-09..2025-08-15'],
    ['n vs year-earlier', 'retail-week', 'R2026-W31', '2026-08-15', '2025-01-26..2025-02-01'],
    ['n vs previous', 'retail-month', 'R2027-M02', '2026-08-15', '2026-06-28..2026-07-18'],
    ['n vs [-1 quarter]', 'day', '2026-05-31', '2026-08-15', '2026-02-28..2026-02-28'],
  ];
  test.each(cases)('%s by %s in %s as of %s compares %s', async (reading, by, range, asOf, wanted) => {
    const book = await days(asOf);
    const { compared } = await book.ask({ show: [reading], ...(by === '' ? {} : { by }), range, asOf });
    const span = compared[reading][0];
    expect(span && `${span.start}..${span.end}`).toBe(wanted);
    await book.close();
  });

  test('A1, A4: the as-of date by name; a future row is blank, its comparison is not', async () => {
    const book = await days('2026-08-15');
    // 23:30 UTC on 1 November.
    expect(await Promise.all(['today', 'yesterday', 'latest', 'end(-1 month)'].map(async (text) => isoOf(await book.asOf(text))))).toEqual([
      '2026-11-01',
      '2026-10-31',
      '2026-08-15',
      '2026-10-31',
    ]);
    const { rows } = await book.ask({ show: ['n', 'n vs year-earlier', 'n over mtd'], by: 'month', range: '2026-08/2026-09' });
    expect(rows).toEqual(table('2026-08 15 15 15 | 2026-09 – 30 –'));
    await book.close();
  });

  test('A3: without a range the axis ends with the period of the as-of date, and no period is cut', async () => {
    const book = await days('2026-09-10');
    const { periods } = await book.ask({ show: ['n'], by: 'month', asOf: '2026-08-15' });
    expect(periods.at(-1)).toMatchObject({ label: '2026-08', start: '2026-08-01', end: '2026-08-31', partial: true });
    await book.close();
  });

  test('C4: week 53 has no counterpart, and that is said', async () => {
    const book = await days('2026-12-31');
    const { rows, notes } = await book.ask({ show: ['n vs year-earlier'], by: 'week', range: '2026-W52/2026-W53', asOf: '2026-12-31' });
    expect(rows.map((row) => row[1])).toEqual([7, null]);
    expect(notes).toMatchObject([{ code: 'no-counterpart', rows: 1 }]);
    await book.close();
  });

  test('C5: previous keeps its meaning when the unit is switched', async () => {
    const book = await days('2026-06-30');
    for (const by of ['day', 'week', 'month', 'quarter', 'half', 'year', 'retail-week', 'retail-year']) {
      const { rows } = await book.ask({ show: ['n', 'n vs previous'], by, range: '2024-01-01/2025-12-31', gaps: 'show' });
      for (const [k, row] of rows.slice(2, -1).entries()) expect([by, row[2]]).toEqual([by, rows[k + 1][1]]);
    }
    await book.close();
  });

  test.each([
    ['n vs [2026-02] as change', 'month', '2026-03-10/2026-05-31', 1],
    ['n vs [2026-02] as change', 'month', '2026-07/2026-08', 1],
    ['n vs [2026-02] as change', 'month', '2026-03/2026-07', 0],
    ['n on planned vs [2026-02] as change', 'month', '2026-07/2026-08', 0],
  ])('C6: %s by %s in %s has %i rows that stand in part against a whole base', async (reading, by, range, rows) => {
    const book = await days('2026-08-15');
    const { notes } = await book.ask({ show: [reading], by, range });
    expect(notes.filter(({ code }) => code === 'partial-against-whole').map((note) => note.rows)).toEqual(rows === 0 ? [] : [rows]);
    await book.close();
  });

  test('W8: short history is marked, and blank where the window must be full', async () => {
    const book = await days('2023-03-31');
    const { rows, notes } = await book.ask({ show: ['n over rolling-3-months'], by: 'month' });
    expect(rows.map((row) => row[1])).toEqual([31, 59, 90]);
    expect(notes).toMatchObject([{ code: 'short-history', rows: 2, first: '2023-01-01' }]);
    await book.close();
  });
});

describe('A1: today moves with the clock, in the time zone of the model', () => {
  const model = factModel(
    'f',
    { source: 'rows', dates: { on: 'day' }, measures: { n: { sum: 'n' } } },
    { timeZone: 'Europe/Berlin', asOf: 'today' },
  );
  const first = toDay('2025-01-01');
  const rows = Array.from({ length: toDay('2027-12-31') - first + 1 }, (_, i) => ({ day: isoOf(first + i), n: 1 }));
  test.each([
    // Half past eleven in the evening, UTC, is the next day in Berlin.
    ['2026-10-31T22:30:00Z', '2026-10-31', '2026-10-30', '2026-09-30', 31],
    ['2026-10-31T23:30:00Z', '2026-11-01', '2026-10-31', '2026-10-31', 1],
    ['2026-12-31T22:59:59Z', '2026-12-31', '2026-12-30', '2026-11-30', 31],
    ['2026-12-31T23:00:00Z', '2027-01-01', '2026-12-31', '2026-12-31', 1],
    ['2026-02-28T23:00:00Z', '2026-03-01', '2026-02-28', '2026-02-28', 1],
    // The hour that does not exist, and the one that comes twice.
    ['2026-03-28T23:00:00Z', '2026-03-29', '2026-03-28', '2026-02-28', 29],
    ['2026-03-29T22:00:00Z', '2026-03-30', '2026-03-29', '2026-02-28', 30],
    ['2026-10-24T22:00:00Z', '2026-10-25', '2026-10-24', '2026-09-30', 25],
    ['2026-10-25T22:59:00Z', '2026-10-25', '2026-10-24', '2026-09-30', 25],
    ['2026-10-25T23:00:00Z', '2026-10-26', '2026-10-25', '2026-09-30', 26],
  ])('at %s today is %s, yesterday %s, the last whole month ends on %s', async (now, today, yesterday, lastMonth, mtd) => {
    const book = await openBook(model, engineOver({ rows }), { clock: () => Date.parse(now) });
    expect(isoOf(await book.asOf('today'))).toBe(today);
    expect(isoOf(await book.asOf('yesterday'))).toBe(yesterday);
    expect(isoOf(await book.asOf('end(-1 month)'))).toBe(lastMonth);
    const result = await book.ask({ show: ['n'], range: 'mtd' });
    expect([result.asOf, result.rows[0][1], result.periods[0].start]).toEqual([today, mtd, `${today.slice(0, 7)}-01`]);
  });

  test('one book, and the clock goes on', async () => {
    let now = '2026-11-30T12:00:00Z';
    const book = await openBook(model, engineOver({ rows }), { clock: () => Date.parse(now) });
    const month = async () => (await book.ask({ show: ['n over mtd'], by: ['mtd'] })).rows[0][1];
    expect(await month()).toBe(30);
    now = '2026-12-01T00:00:00Z';
    expect(await month()).toBe(1);
  });
});

describe('what the windows command shows', () => {
  test('windows at several dates, comparisons of the period so far or of a window (C3 to C6)', async () => {
    const book = await days('2026-08-15');
    const seen = await book.windows({
      at: ['2026-08-15', '2026-02-28'],
      only: ['mtd', '[P10D/anchor-P1D]', 'whole-month-before', '[-1 retail-year]', 'january'],
    });
    const texts = seen.map(({ name, by, at, from, to, days: length }) =>
      [name, by ?? '', isoOf(at), from === undefined ? '' : isoOf(from), to === undefined ? '' : isoOf(to), length].join(' '),
    );
    expect(texts).toEqual([
      'mtd  2026-08-15 2026-08-01 2026-08-15 15',
      '[P10D/anchor-P1D]  2026-08-15 2026-08-05 2026-08-14 10',
      'whole-month-before month 2026-08-15 2026-07-01 2026-07-31 31',
      '[-1 retail-year] day 2026-08-15 2025-08-16 2025-08-16 1',
      'january month 2026-08-15 2026-01-01 2026-01-31 31',
      'mtd  2026-02-28 2026-02-01 2026-02-28 28',
      '[P10D/anchor-P1D]  2026-02-28 2026-02-18 2026-02-27 10',
      'whole-month-before month 2026-02-28 2026-01-01 2026-01-31 31',
      '[-1 retail-year] day 2026-02-28 2025-03-01 2025-03-01 1',
      'january month 2026-02-28 2026-01-01 2026-01-31 31',
    ]);
    const over = await book.windows({ only: ['previous'], over: 'rolling-28-days', by: 'quarter', at: ['2026-08-15'] });
    expect(over.map(({ from, to }) => [isoOf(from as number), isoOf(to as number)])).toEqual([['2026-04-18', '2026-05-15']]);
    await book.close();
  });
});

describe('R2: captions in words', () => {
  const day = (text: string) => toDay(text);
  test.each([
    ['en-GB', '2026-08-01', '2026-08-15', '1–15 Aug 2026'],
    ['en-GB', '2026-07-28', '2026-08-15', '28 Jul – 15 Aug 2026'],
    ['en-GB', '2025-12-28', '2026-08-15', '28 Dec 2025 – 15 Aug 2026'],
    ['en-GB', '2026-08-15', '2026-08-15', '15 Aug 2026'],
    ['de-DE', '2026-08-01', '2026-08-15', '1.–15. Aug. 2026'],
    ['fr-FR', '2026-08-01', '2026-08-15', '1–15 août 2026'],
  ])('in %s, %s to %s is %s', (locale, start, end, words) => {
    expect(daysInWords({ start: day(start), end: day(end) }, locale)).toBe(words);
  });
});
