import { DuckDBInstance } from '@duckdb/node-api';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { open, type Question } from '../../src/index.ts';
import { DEMO, durchblick, ROOT, rowsOf } from '../setup/builders.ts';
import { loadModel, memory } from '../setup/library.ts';

/** The questions of the tour, against sums written by hand in SQL over the same files. */
let sql: (text: string) => Promise<string[][]>;

beforeAll(async () => {
  const connection = await (await DuckDBInstance.create()).connect();
  const file = (name: string) => `read_csv('${ROOT}demo/data/${name}.csv', all_varchar = true)`;
  await connection.run(`create table lines as select order_id, region_id, channel, product_id, ordered_on::date as o, try_cast(shipped_on as date) as s,
    (quantity::decimal(9, 0) * unit_price::decimal(9, 2) - discount::decimal(9, 2))::decimal(12, 2) as net from ${file('order_lines')}`);
  await connection.run(`create table budget as select region_id, family, amount::decimal(12, 2) as amount, (month || '-01')::date as m from ${file('budget')}
    qualify row_number() over (partition by month, region_id, family order by loaded_on desc) = 1`);
  await connection.run(`create table customers as select customer_id, ordered_on::date as o from ${file('order_lines')}`);
  await connection.run(`create table promised as select ordered_on::date as o, strptime(promised_on, '%Y%m%d')::date as p,
    (quantity::decimal(9, 0) * unit_price::decimal(9, 2) - discount::decimal(9, 2))::decimal(12, 2) as net from ${file('order_lines')}`);
  await connection.run(`create table regions as select * from ${file('regions')}`);
  sql = async (text) =>
    (await connection.runAndReadAll(text)).getRows().map((row) => row.map((value) => (value === null ? '' : String(value))));
});

/** Numbers as numbers, so that 12.50 and 12.5 are the same. */
const plain = (rows: readonly (readonly string[])[]): (string | number)[][] =>
  rows.map((row) => row.map((text) => (text !== '' && !Number.isNaN(Number(text)) ? Number(text) : text)));
const { model, files } = await loadModel(`${ROOT}${DEMO}`);
const book = await open(model, memory({}, { files }));
afterAll(() => book.close());
const ask = async (show: string | readonly string[], question: Omit<Question, 'show'> = {}): Promise<(string | number)[][]> =>
  plain(rowsOf((await book.ask({ show: [show].flat(), ...question } as never)).toCsv()));

describe('real questions', () => {
  test('revenue by month by order and by ship date, the unshipped noted (A3, D4, M10)', async () => {
    const wanted = await sql(`with m as (select distinct strftime(o, '%Y-%m') as p from lines)
      select p, (select sum(net) from lines where strftime(o, '%Y-%m') = p), (select sum(net) from lines where strftime(s, '%Y-%m') = p) from m order by 1`);
    expect(await ask(['revenue', 'revenue on shipped'], { by: 'month' })).toEqual(plain(wanted));
    const [[rows, amount]] = await sql('select count(*), sum(net) from lines where s is null');
    expect(durchblick('ask', DEMO, 'revenue on shipped', '--by', 'year').stderr).toContain(
      `${rows} rows have no shipped date and are in no period (revenue ${Number(amount)})`,
    );
  });

  const STRETCHES = {
    mtd: ['2026-05-01', '2026-05-20', '2025-05-01', '2025-05-20'],
    qtd: ['2026-04-01', '2026-05-20', '2025-04-01', '2025-05-20'],
    'fiscal-ytd': ['2025-10-01', '2026-05-20', '2024-10-01', '2025-05-20'],
    'rolling-28-days': ['2026-04-23', '2026-05-20', '2025-04-23', '2025-05-20'],
    'rolling-3-months': ['2026-02-21', '2026-05-20', '2025-02-21', '2025-05-20'],
  };
  test.each(Object.entries(STRETCHES))(
    '%s at 20 May by region, like for like (A6, C5, W3, W4)',
    async (window, [from, to, before, until]) => {
      const sum = (a: string, b: string) => `sum(net) filter (o between date '${a}' and date '${b}')`;
      const wanted = await sql(
        `select '${window}', name, ${sum(from, to)}, ${sum(before, until)} from lines join regions using (region_id) group by name, sort order by sort::int`,
      );
      expect(
        await ask(['revenue', 'revenue vs year-earlier'], {
          by: [window],
          per: ['region'],
          asOf: '2026-05-20',
          where: { region: { not: '(none)' } },
        }),
      ).toEqual(plain(wanted));
    },
  );

  test('orders by week with the week before, and by another unit by one word (C5, M1)', async () => {
    const weeks = await sql(`with w as (select strftime(o, '%G-W%V') as p, count(distinct order_id) as n from lines group by 1)
      select p, n, lag(n) over (order by p) from w where p < '2026-W21' order by 1`);
    expect(await ask(['orders', 'orders vs previous'], { by: 'week', range: '2023-W02/2026-W20' })).toEqual(plain(weeks.slice(1)));
    for (const [unit, format] of [
      ['day', '%Y-%m-%d'],
      ['month', '%Y-%m'],
      ['year', '%Y'],
    ]) {
      const wanted = await sql(`select strftime(o, '${format}') as p, count(distinct order_id) from lines group by 1 order by 1`);
      expect(await ask('orders', { by: unit, gaps: 'hide' })).toEqual(plain(wanted));
    }
  });

  test('to date against the budget to date, by region; whole months for all of 2026 (G3, G4, G7)', async () => {
    // 1 to 20 May 2026 has 12 of the month's 18 working days.
    const wanted =
      await sql(`select '2026-05', name, (select sum(net) from lines l where l.region_id = r.region_id and o between date '2026-05-01' and date '2026-05-20'),
      (select sum(amount) * 12 / 18 from budget b where b.region_id = r.region_id and m = date '2026-05-01')::double from regions r order by sort::int`);
    const rows = await ask(['revenue over mtd', 'budget over mtd'], {
      by: 'month',
      per: ['region'],
      range: '2026-05',
      where: { region: { not: '(none)' } },
    });
    plain(wanted).forEach((row, k) => {
      expect(rows[k].slice(0, 3)).toEqual(row.slice(0, 3));
      expect(rows[k][3]).toBeCloseTo(row[3] as number, 6);
    });
    const whole = await sql(`select strftime(m, '%Y-%m'), sum(amount) from budget where year(m) = 2026 group by 1 order by 1`);
    expect(await ask('budget', { by: 'month', range: '2026' })).toEqual(plain(whole));
  });

  test('the last 14 days over the same weekdays a year earlier (A5, C2)', async () => {
    const wanted =
      await sql(`select strftime(d, '%Y-%m-%d'), (select sum(net) from lines where o = d::date), (select sum(net) from lines where o = d::date - 364)
      from range(date '2026-05-07', date '2026-05-21', interval 1 day) t(d) order by 1`);
    expect(await ask(['revenue', 'revenue vs same-weekdays-last-year'], { by: 'day', range: 'last-14-days' })).toEqual(plain(wanted));
  });

  test('revisions recorded later are not seen (G7)', async () => {
    const budget = async (more = {}) => (await ask('budget', { by: 'year', range: '2026', ...more }))[0][1] as number;
    expect(await budget()).toBeGreaterThan(await budget({ knownBy: '2026-02-26' }));
    expect(await budget({ knownBy: '2026-02-27' })).toBe(await budget());
  });
});

describe('tables of a terminal', () => {
  const QUESTION = [
    'revenue over mtd',
    'revenue over mtd vs year-earlier as change',
    'budget over mtd',
    ...'budget-attainment --by month --per region --range 2026-05 --quiet'.split(' '),
  ];
  test.each([60, 80, 120])('at %i columns nothing is wider, numbers stand below each other, units once in the header', (columns) => {
    const before = process.env.COLUMNS;
    process.env.COLUMNS = String(columns);
    const { stdout } = durchblick('ask', DEMO, ...QUESTION);
    process.env.COLUMNS = before ?? '';
    const lines = stdout.trimEnd().split('\n');
    const rows = lines.slice(-5);
    // Six columns and their gaps need 71; narrower than that no header can make it.
    expect(Math.max(...lines.map((line) => line.length))).toBeLessThanOrEqual(Math.max(columns, 71));
    expect(rows.map((line) => line.trim().split(/\s+/).slice(0, 3))).toContainEqual(['2026-05', 'West', '11,804']);
    // The last digit of every number in a column stands in one place.
    const ends = (line: string) => [...line.matchAll(/\S+/g)].slice(2, 5).map(({ 0: text, index }) => index + text.length);
    expect(new Set(rows.map((line) => ends(line).join())).size).toBe(1);
    expect(
      lines
        .slice(0, -5)
        .join('\n')
        .match(/\(EUR\)/g),
    ).toHaveLength(2);
    expect(rows.join('\n')).not.toMatch(/[€%]/);
  });
});

describe('days by name, percentiles, first times, as it stood', () => {
  test('each weekday, by the days themselves (U12)', async () => {
    const wanted = await sql(`select isodow(o), sum(net) from lines where o between '2026-04-01' and '2026-04-30' group by 1 order by 1`);
    expect((await ask('revenue', { per: ['weekday'], range: '2026-04' })).map((row) => row[2])).toEqual(
      wanted.map(([, sum]) => Number(sum)),
    );
  });
  test('medians and percentiles as a database counts them (M14)', async () => {
    const wanted = await sql(`select percentile_cont(0.5) within group (order by s - o), percentile_cont(0.9) within group (order by s - o)
      from lines where s between '2026-01-01' and '2026-03-31' and s >= o`);
    expect(await ask(['median-lead-time', 'slow-orders'], { by: 'quarter', range: '2026-Q1' })).toEqual([
      ['2026-Q1', ...wanted[0].map(Number)],
    ]);
  });
  test('customers on their first day of all (M15)', async () => {
    const wanted = await sql(
      `select strftime(d, '%Y'), count(*) from (select customer_id, min(o) as d from customers group by 1) group by 1 order by 1`,
    );
    expect(await ask('new-customers', { by: 'year' })).toEqual(plain(wanted));
  });
  test('what had been promised by the same day last year (C11)', async () => {
    const wanted = await sql(`select strftime(p + interval 1 year, '%Y-%m'), sum(net) from promised
      where p between '2025-05-01' and '2025-06-30' and o <= '2025-05-20' group by 1 order by 1`);
    expect(await ask('revenue on promised vs pace', { by: 'month', range: '2026-05/2026-06' })).toEqual(plain(wanted));
  });
});
