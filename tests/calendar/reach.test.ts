import { describe, expect, test } from 'vitest';
import { open, toDay } from '../../src/index.ts';
import { engineOver, factModel } from '../setup/builders.ts';

// Two days of data: whatever lies further away is there only because a window or a comparison reaches it (U8, M12).
const model = factModel(
  'f',
  { source: 'rows', dates: { on: 'day' }, measures: { n: { count: 'rows' } } },
  {
    name: 'Far',
    calendar: {
      yearSystems: { fiscal: { starts: '--07-01' } },
      periods: { season: { rows: { Young: '1950-03-01', Old: '1995-03-01', Last: '2026-03-01' } } },
    },
    windows: { generation: 'P40Y/anchor', founding: '1961-05-08/anchor', 'thirty-quarters': 'start(-119 quarter)/anchor' },
    comparisons: { decades: { shift: '-P60Y' }, fiscal: { shift: '-30 fiscal-year' }, seasons: { shift: '-2 season' } },
  },
);
const rows = [{ day: '2026-05-01' }, { day: '2026-05-31' }];

/** Monday to Friday, counted one by one. */
const weekdays = (from: string, to: string): number => {
  let count = 0;
  for (let day = toDay(from); day <= toDay(to); day++) if ((((day + 3) % 7) + 7) % 7 < 5) count++;
  return count;
};

describe('U8, M12: a calendar reaches what is asked of it', () => {
  const from = { generation: '1986-06-01', founding: '1961-05-08', 'thirty-quarters': '1996-07-01' };
  test.each(Object.entries(from))('working days over %s are counted to its first day', async (window, first) => {
    const book = await open(model, engineOver({ rows }));
    const { rows: cells } = await book.ask({ show: [`working-days over ${window}`], by: 'month', range: '2026-05' });
    expect(cells).toEqual([['2026-05', weekdays(first, '2026-05-31')]]);
  });

  test.each([
    ['decades', '1966-05-01', '1966-05-31'],
    ['fiscal', '1996-05-01', '1996-05-31'],
  ])('a month is held against its counterpart of %s', async (comparison, start, end) => {
    const book = await open(model, engineOver({ rows }));
    const { compared, rows: cells } = await book.ask({ show: [`working-days vs ${comparison} as value`], by: 'month', range: '2026-05' });
    expect(Object.values(compared)).toEqual([[{ start, end }]]);
    expect(cells).toEqual([['2026-05', weekdays(start, end)]]);
  });

  test('comparisons within comparisons add up, and windows of them too', async () => {
    const book = await open(model, engineOver({ rows }));
    const { rows: cells } = await book.ask({
      show: ['((working-days over generation) vs decades as value) vs [-P100Y] as value'],
      by: 'month',
      range: '2026-05',
    });
    expect(cells).toEqual([['2026-05', weekdays('1826-06-01', '1866-05-31')]]);
  });

  test('a season is followed back to one that began a lifetime ago', async () => {
    const book = await open(model, engineOver({ rows }));
    const { rows: cells } = await book.ask({ show: ['working-days vs seasons as value'], by: 'season', range: 'Last' });
    expect(cells).toEqual([['Last', weekdays('1950-03-01', '1950-05-31')]]);
  });

  test('an as-of date may lie far from today, and windows reach on from it (A1)', async () => {
    const book = await open(model, engineOver({ rows }), { clock: () => Date.UTC(2026, 5, 10) });
    const { rows: cells } = await book.ask({ show: ['working-days over generation'], by: ['[anchor/anchor]'], asOf: 'end(-600 month)' });
    expect(cells).toEqual([['[anchor/anchor]', weekdays('1936-07-01', '1976-06-30')]]);
  });

  test('beyond the days there are, it says so', async () => {
    const book = await open(model, engineOver({ rows }));
    await expect(book.ask({ show: ['n vs [-P3000Y]'], by: 'month', range: '2026-05' })).rejects.toMatchObject({ code: 'outside-calendar' });
  });
});
