import fc from 'fast-check';
import { beforeAll, describe, expect, test } from 'vitest';
import { dateReader, loadZones, zoneDays } from '../../src/calendar/dates.ts';
import { addMonths, NO_DAY, parseIsoDay } from '../../src/calendar/day.ts';
import { type Calendar, type CalendarOptions, calendar, calendarTable, DurchblickError, isoOf, toDay } from '../../src/index.ts';

beforeAll(() => loadZones('Europe/Berlin'));

const over = (from: string, to: string, more: Partial<CalendarOptions> = {}): Calendar => calendar({ from, to, ...more });
const RETAIL: CalendarOptions['yearSystems'] = {
  fiscal: { starts: '--04-06', label: 'FY{year}' },
  retail: { pattern: '4-4-5', ends: 'saturday nearest june 30', label: 'R{year}' },
  shop: { pattern: '4-5-4', ends: 'last saturday of january', numberBy: 'start', label: 'S{year}' },
  thirteen: { pattern: '13x4', ends: 'saturday nearest january 3', label: 'T{year}' },
};

describe('D1, D2, D3: days and dates', () => {
  test.each([
    ['1970-01-01', 0],
    ['2000-02-29', 11016],
    ['0001-01-01', -719162],
    ['9999-12-31', 2932896],
  ])('%s is day %i', (text, day) => {
    expect(toDay(text)).toBe(day);
    expect(isoOf(day)).toBe(text);
  });

  test('day numbers agree with the runtime for any day', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: -719162, max: 2932896 }),
        (day) => isoOf(day) === new Date(day * 86_400_000).toISOString().slice(0, 10),
      ),
    );
  });

  test.each([
    ['2026-08-15', '2026-08-15'],
    ['2026-08-15T23:30:00', '2026-08-15'],
    ['2026-08-15 23:30', '2026-08-15'],
    ['2026-08-15T23:30:00Z', '2026-08-16'],
    ['2026-01-15T23:30:00Z', '2026-01-16'],
    ['2026-01-15T22:59:59.999Z', '2026-01-15'],
    ['2026-08-15T23:30:00-05:00', '2026-08-16'],
    ['2026-03-29T01:59:59+01:00', '2026-03-29'],
    ['20260815', '2026-08-15'],
    [20260815, '2026-08-15'],
    [new Date('2026-08-15T22:00:00Z'), '2026-08-16'],
  ])('%s is %s in Berlin', (value, day) => {
    const read = dateReader({ timeZone: 'Europe/Berlin', grain: 'day' });
    expect(isoOf(read(value) as number)).toBe(day);
  });

  test.each([['2026-02-30'], ['15.08.2026'], ['08/15/2026'], ['2026-8-5'], ['20261301'], ['2026-08'], ['2026-08-15T25:00'], ['now']])(
    '%s is no date',
    (value) => {
      expect(dateReader({ timeZone: 'UTC', grain: 'day' })(value)).toBeUndefined();
    },
  );

  test('coarse facts take periods as dates; formats and placeholders are said', () => {
    const coarse = dateReader({ timeZone: 'UTC', grain: 'coarse' });
    expect(['2026', '2026-08', '2026-Q3', '2026-W01'].map((text) => isoOf(coarse(text) as number))).toEqual([
      '2026-01-01',
      '2026-08-01',
      '2026-07-01',
      '2025-12-29',
    ]);
    expect(coarse('2025-W53')).toBeUndefined();
    const german = dateReader({ timeZone: 'UTC', grain: 'day', format: 'd.M.yyyy', blankDates: ['31.12.9999'] });
    expect(isoOf(german('5.8.2026') as number)).toBe('2026-08-05');
    expect([german('31.12.9999'), german(''), german(null)]).toEqual([NO_DAY, NO_DAY, NO_DAY]);
    expect(() => dateReader({ timeZone: 'UTC', grain: 'day', format: 'dd/mm/yy' })).toThrow(/unknown part|year, month and day/);
  });

  test('instants of every hour around both changes of the clock fall on the day of the zone', () => {
    const inZone = zoneDays('Europe/Berlin');
    const civil = new Intl.DateTimeFormat('en-CA', { timeZone: 'Europe/Berlin', year: 'numeric', month: '2-digit', day: '2-digit' });
    for (const around of ['2026-03-29', '2026-10-25', '1945-05-24']) {
      for (let minutes = -48 * 60; minutes < 48 * 60; minutes += 10) {
        const instant = Date.parse(`${around}T00:00:00Z`) + minutes * 60_000;
        expect(isoOf(inZone(instant))).toBe(civil.format(instant));
      }
    }
  });

  test('W4: month arithmetic keeps month ends', () => {
    const from = (text: string, months: number) => isoOf(addMonths(toDay(text), months));
    expect([
      from('2026-02-28', -3),
      from('2026-08-15', -3),
      from('2024-02-29', -12),
      from('2025-02-28', -12),
      from('2026-01-30', 1),
      from('2026-04-30', 1),
    ]).toEqual(['2025-11-30', '2026-05-15', '2023-02-28', '2024-02-29', '2026-02-28', '2026-05-31']);
  });
});

describe('U1 to U9: units', () => {
  test.each([2015, 2020, 2026])('%i has 53 ISO weeks', (year) => {
    const found = over(`${year}-01-01`, `${year}-12-31`);
    const years = found.unit('week-year');
    const index = found.parse(`W${year}`)?.index as number;
    expect((years.ends[index] - years.starts[index] + 1) / 7).toBe(53);
    expect(found.parse(`${year}-W53`)).toBeDefined();
    expect(found.parse(`${year + 1}-W53`)).toBeUndefined();
  });

  test.each([
    ['2026-01-01', '2026-W01'],
    ['2027-01-01', '2026-W53'],
    ['2024-12-30', '2025-W01'],
    ['2021-01-03', '2020-W53'],
  ])('%s lies in ISO week %s', (day, week) => expect(over('2020-01-01', '2027-12-31').label('week', day)).toBe(week));

  test('U3: weeks that start on Sunday with one day in the new year', () => {
    const found = over('2026-01-01', '2026-12-31', { week: { starts: 'sunday', minDays: 1 } });
    expect([found.label('week', '2025-12-28'), found.label('week', '2026-01-03'), found.label('week', '2026-01-04')]).toEqual([
      '2026-W01',
      '2026-W01',
      '2026-W02',
    ]);
    expect(over('2026-01-01', '2026-12-31', { week: 'locale', locale: 'en-US' }).label('week', '2026-01-04')).toBe('2026-W02');
  });

  test('U4: fiscal years from 6 April', () => {
    const found = over('2024-01-01', '2026-12-31', { yearSystems: RETAIL });
    const of = (unit: string, day: string) => found.label(`fiscal-${unit}`, day);
    expect([
      of('year', '2026-04-05'),
      of('year', '2026-04-06'),
      of('month', '2026-05-05'),
      of('month', '2026-05-06'),
      of('quarter', '2026-07-06'),
      of('half', '2026-10-05'),
    ]).toEqual(['FY2026', 'FY2027', 'FY2027-M01', 'FY2027-M02', 'FY2027-Q2', 'FY2027-H1']);
    expect(found.parse('FY2027-Q2')).toMatchObject({ unit: 'fiscal-quarter', start: toDay('2026-07-06'), end: toDay('2026-10-05') });
  });

  test('U5: 52 and 53 weeks, four patterns, both rules', () => {
    const found = over('2015-01-01', '2030-12-31', { yearSystems: RETAIL });
    const lengths = (name: string): Map<string, number> => {
      const unit = found.unit(`${name}-year`);
      return new Map(Array.from(unit.starts, (start, i) => [unit.label(i), (unit.ends[i] - start + 1) / 7]));
    };
    // Saturday nearest 30 June: 1 July 2023 ends 2023, 29 June 2024 ends 2024 and 28 June 2025 ends 2025.
    expect(found.parse('R2024')).toMatchObject({ start: toDay('2023-07-02'), end: toDay('2024-06-29') });
    expect([...lengths('retail').values()].every((weeks) => weeks === 52 || weeks === 53)).toBe(true);
    // Last Saturday of January: 27 January 2024 and 31 January 2026; numbered by its start.
    expect(found.parse('S2023')).toMatchObject({ start: toDay('2023-01-29'), end: toDay('2024-01-27') });
    expect(lengths('shop').get('S2026')).toBe(52);
    expect([...lengths('shop')].filter(([, weeks]) => weeks === 53).map(([label]) => label)).toEqual(['S2014', 'S2020', 'S2025', 'S2031']);
    const long = [...lengths('retail')].find(([, weeks]) => weeks === 53)?.[0] as string;
    const last = found.parse(`${long}-M12`);
    expect(((last?.end as number) - (last?.start as number) + 1) / 7).toBe(6);
    const quarters = [1, 2, 3, 4]
      .map((k) => found.parse(`T2025-Q${k}`))
      .map((q) => Math.round(((q?.end as number) - (q?.start as number) + 1) / 28));
    expect(quarters).toEqual([3, 3, 3, 4]);
  });

  test('U6, U7: listed years and seasons with gaps', () => {
    const season = (label: string, start: string, end?: string) => ({ label, start: toDay(start), ...(end ? { end: toDay(end) } : {}) });
    const found = over('2026-01-01', '2026-12-31', {
      yearSystems: { own: { rows: [season('Y1', '2025-07-03'), season('Y2', '2026-07-01', '2027-06-30')] } },
      periods: { season: [season('Spring', '2026-02-20', '2026-05-31'), season('Autumn', '2026-09-01', '2026-11-15')] },
    });
    expect([
      found.label('own-year', '2026-07-01'),
      found.label('own-year', '2026-06-30'),
      found.label('season', '2026-07-01'),
      found.label('season', '2026-05-31'),
    ]).toEqual(['Y2', 'Y1', undefined, 'Spring']);
    expect([isoOf(found.floor('season', '2026-07-01')), isoOf(found.ceil('season', '2026-07-01'))]).toEqual(['2026-09-01', '2026-05-31']);
    expect(found.parse('Autumn')).toMatchObject({ unit: 'season', index: 1 });
  });

  test('U8: whole years and no further', () => {
    const found = over('2023-05-10', '2026-08-15', { yearSystems: { fiscal: { starts: '--07-01', label: 'FY{year}' } } });
    expect([isoOf(found.first), isoOf(found.last)]).toEqual(['2022-07-01', '2027-06-30']);
    const plain = over('2023-05-10', '2026-08-15');
    expect([isoOf(plain.first), isoOf(plain.last)]).toEqual(['2023-01-01', '2027-01-03']);
  });

  test('U1, U9: over 400 years every unit is a partition, in order, nested, and labels are read back', () => {
    const found = over('1800-01-01', '2199-12-31', { yearSystems: RETAIL });
    for (const unit of found.units.values()) {
      for (let i = 0; i < unit.starts.length; i++) {
        if (unit.ends[i] < unit.starts[i]) expect.fail(`${unit.name} ${i}`);
        if (i > 0 && unit.starts[i] !== unit.ends[i - 1] + 1) expect.fail(`${unit.name} has a gap before ${isoOf(unit.starts[i])}`);
      }
    }
    const inner: [string, string][] = [
      ['week', 'week-year'],
      ['month', 'quarter'],
      ['quarter', 'half'],
      ['half', 'year'],
      ['fiscal-month', 'fiscal-year'],
      ['retail-week', 'retail-month'],
      ['retail-month', 'retail-quarter'],
      ['thirteen-month', 'thirteen-year'],
    ];
    for (const [small, large] of inner) expect(found.nests(found.unit(small), found.unit(large)), `${small} in ${large}`).toBe(true);
    expect(found.nests(found.unit('week'), found.unit('month'))).toBe(false);
    const names = [...found.units.keys()];
    fc.assert(
      fc.property(fc.constantFrom(...names), fc.integer({ min: found.first, max: found.last }), (name, day) => {
        const unit = found.unit(name);
        const index = found.indexOf(unit, day);
        expect(unit.starts[index] <= day && day <= unit.ends[index]).toBe(true);
        expect(found.parse(unit.label(index))).toMatchObject({ unit: name, index });
        if (index + 1 < unit.starts.length) expect(found.offset(name, day, 1)).toBe(unit.starts[index + 1]);
      }),
      { numRuns: 2000 },
    );
  });

  test('ordinals do not depend on where the calendar begins', () => {
    const [small, large] = [
      over('2026-01-01', '2026-12-31', { yearSystems: RETAIL }),
      over('1950-01-01', '2080-12-31', { yearSystems: RETAIL }),
    ];
    for (const unit of small.units.keys()) expect(small.ordinal(unit, '2026-08-15'), unit).toBe(large.ordinal(unit, '2026-08-15'));
  });

  test('names come from the locale and can be overridden one by one', () => {
    const found = over('2026-01-01', '2026-12-31', { locale: 'de-DE', names: { 'weekday-short': { thursday: 'Don' } } });
    expect([
      found.name('month-long', 2),
      found.name('weekday-long', 0),
      found.name('weekday-short', 3),
      found.name('weekday-short', 4),
    ]).toEqual(['März', 'Montag', 'Don', 'Fr']);
  });

  test('U10: working days are weekdays without holidays', () => {
    const found = over('2026-01-01', '2026-12-31', {
      workingDays: { week: 'monday-saturday', holidays: [{ day: toDay('2026-05-01'), name: 'Labour Day' }] },
    });
    expect(found.workingDays(toDay('2026-05-01'), toDay('2026-05-10'))).toBe(7);
    expect([found.isWorkingDay(toDay('2026-05-02')), found.isWorkingDay(toDay('2026-05-03')), found.holiday(toDay('2026-05-01'))]).toEqual([
      true,
      false,
      'Labour Day',
    ]);
  });

  // biome-ignore format: one case a line
  const bad: [string, Partial<CalendarOptions>, RegExp][] = [
    ['a backwards range', { from: '2026-12-31', to: '2026-01-01' }, /runs backwards/],
    ['a year start past the 28th', { yearSystems: { x: { starts: '--03-31' } } }, /up to the 28th|--03-31/],
    ['an unknown year end', { yearSystems: { x: { pattern: '4-4-5', ends: 'first monday of may' } } }, /first monday of may/],
    ['a label without the year', { yearSystems: { x: { starts: '--07-01', label: 'FY' } } }, /no \{year\}/],
    ['unsorted starts', { periods: { x: [{ start: 10, label: 'b' }, { start: 5, label: 'a' }] } }, /before "b"/],
    ['doubled starts', { periods: { x: [{ start: 5, label: 'b' }, { start: 5, label: 'a' }] } }, /two periods start/],
    ['doubled labels', { periods: { x: [{ start: 5, label: 'a' }, { start: 9, label: 'a' }] } }, /two periods are called "a"/],
    ['overlapping periods', { periods: { x: [{ start: 5, end: 9, label: 'a' }, { start: 9, label: 'b' }] } }, /but "b" starts/],
    ['an endless last year', { yearSystems: { x: { rows: [{ start: 5, label: 'a' }] } } }, /has no end/],
    ['no rows', { periods: { x: [] } }, /no rows/],
    ['a week of eight days', { week: { starts: 'monday', minDays: 8 } }, /min-days is 8/],
    ['an unknown weekday', { workingDays: { week: 'monday-firday' } }, /"friday"|firday/],
  ];
  test.each(bad)('%s has a message of its own', (_, options, message) => {
    expect(() => over('2026-01-01', '2026-12-31', options)).toThrow(DurchblickError);
    expect(() => over('2026-01-01', '2026-12-31', options)).toThrow(message);
  });
});

test('the table has every day once, with offsets and flags against the as-of date', () => {
  const found = over('2026-01-01', '2026-12-31', { yearSystems: RETAIL });
  expect(calendarTable(calendar({ from: '2010-01-01', to: '2019-12-31' })).rows).toBe(3652);
  const table = calendarTable(found, { from: toDay('2026-01-01'), to: toDay('2026-12-31'), asOf: toDay('2026-08-15') });
  const column = (name: string) => table.columns.find((entry) => entry.name === name)?.values as (number | boolean | string)[];
  expect(table.rows).toBe(365);
  const at = (day: string) => (parseIsoDay(day) as number) - toDay('2026-01-01');
  expect([
    column('month_offset')[at('2026-07-31')],
    column('month_offset')[at('2026-08-31')],
    column('week_offset')[at('2026-08-10')],
    column('day_offset')[at('2026-08-14')],
  ]).toEqual([-1, 0, 0, -1]);
  expect(column('month_to_date').filter((flag) => flag === true)).toHaveLength(15);
  expect(new Set(table.columns.map(({ name }) => name)).size).toBe(table.columns.length);
  expect([
    column('iso_weekday')[at('2026-08-15')],
    column('week_number')[at('2026-08-15')],
    column('fiscal_month_number')[at('2026-08-15')],
  ]).toEqual([6, 33, 5]);
});
