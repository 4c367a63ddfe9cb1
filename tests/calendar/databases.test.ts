import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { DuckDBInstance } from '@duckdb/node-api';
import { tableFromIPC } from 'apache-arrow';
import { describe, expect, test } from 'vitest';
import { calendar, isoOf } from '../../src/index.ts';
import { connectPostgres, DEMO, durchblick, makeFolder, rowsOf } from '../setup/builders.ts';

const postgres = await connectPostgres();
await postgres.client.query('create schema calendar_file; set search_path = calendar_file');

test('D1, U3, U4: every day from 1900 to 2100 agrees with PostgreSQL', async () => {
  const found = calendar({ from: '1900-01-01', to: '2100-12-31', yearSystems: { fiscal: { starts: '--04-01', label: 'FY{year}' } } });
  const { rows } = await postgres.client.query({
    rowMode: 'array',
    text: `select to_char(d, 'YYYY-MM-DD'), to_char(d, 'IYYY"-W"IW'), to_char(d, 'YYYY-MM'), to_char(d, 'YYYY"-Q"Q'), to_char(d, 'YYYY'), 'W' || to_char(d, 'IYYY'),
        extract(doy from d)::int, extract(isodow from d)::int, 'FY' || extract(year from d + interval '9 months'), extract(julian from d)::int - 2440588
      from generate_series(date '1900-01-01', date '2100-12-31', interval '1 day') d order by d`,
  });
  expect(rows).toHaveLength(73414);
  for (const row of rows) {
    const day = row[9] as number;
    const label = (unit: string) => found.label(unit, day);
    const own = [
      isoOf(day),
      label('week'),
      label('month'),
      label('quarter'),
      label('year'),
      label('week-year'),
      day - found.floor('year', day) + 1,
      ((((day + 3) % 7) + 7) % 7) + 1,
      label('fiscal-year'),
      day,
    ];
    if (own.some((value, k) => value !== row[k])) expect(own).toEqual(row);
  }
});

describe('durchblick calendar', () => {
  const args = ['calendar', DEMO, '--range', '2025-12/2026-11', '--as-of', '2026-05-20'];
  const csv = () => durchblick(...args, '--format', 'csv').stdout;
  const count = `select count(*)::int, count(distinct date)::int, count(holiday)::int, count(*) filter (where month_to_date)::int, min(date)::text, max(season), sum(working_day_of_month)::int from calendar`;

  test('as SQL it runs unchanged on PostgreSQL and on DuckDB, and holds what the CSV holds', async () => {
    const sql = durchblick(...args, '--format', 'sql').stdout;
    await postgres.client.query(sql);
    const { rows } = await postgres.client.query({ text: count, rowMode: 'array' });
    const connection = await (await DuckDBInstance.create()).connect();
    await connection.run(sql);
    const duck = (await connection.runAndReadAll(count)).getRows();
    expect(duck).toEqual(rows);
    expect(rows[0].slice(0, 5)).toEqual([365, 365, 10, 20, '2025-12-01']);
    const { rows: comments } = await postgres.client.query(
      `select col_description('calendar'::regclass, 1) as text, obj_description('calendar'::regclass) as own`,
    );
    expect(comments[0]).toEqual({ text: 'Civil day; key of this table', own: 'Calendar, one row a day' });
    const header = csv().split('\r\n')[0].split(',');
    const { rows: all } = await postgres.client.query({
      text: 'select * from calendar order by date',
      rowMode: 'array',
      types: { getTypeParser: () => (text: string) => ({ t: 'true', f: 'false' })[text] ?? text },
    });
    expect(all.map((row) => row.map((value) => value ?? ''))).toEqual(rowsOf(csv()));
    expect(header).toHaveLength(all[0].length);
  });

  test('Arrow, Parquet and JSON hold the same', async () => {
    const folder = makeFolder();
    const file = (format: string) => {
      const path = join(folder, `calendar.${format}`);
      expect(durchblick(...args, '--format', format, '--output', path).code).toBe(0);
      return path;
    };
    const text = csv();
    const lines = rowsOf(text);
    const week = text.split('\r\n')[0].split(',').indexOf('week');
    const arrow = tableFromIPC(readFileSync(file('arrow')));
    expect(arrow.numRows).toBe(365);
    expect(arrow.toArray().map((row) => String(row.week))).toEqual(lines.map((line) => line[week]));
    const connection = await (await DuckDBInstance.create()).connect();
    const parquet = (
      await connection.runAndReadAll(`select strftime(date, '%Y-%m-%d'), date_key::varchar from '${file('parquet')}' order by 1`)
    ).getRows();
    expect(parquet).toEqual(lines.map((line) => line.slice(0, 2)));
    const json = JSON.parse(durchblick(...args, '--format', 'json').stdout);
    expect(json.rows.map((row: unknown[]) => row[0])).toEqual(lines.map((line) => line[0]));
    expect(
      durchblick(...args, '--format', 'ndjson')
        .stdout.trimEnd()
        .split('\n'),
    ).toHaveLength(365);
  });

  test('a year as a picture: weekdays down, weeks across, holidays named', () => {
    const { stdout, code } = durchblick('calendar', DEMO, '--range', '2026');
    expect(code).toBe(0);
    const rows = stdout.split('\n');
    expect(rows[0]).toMatch(/^2026 Jan/);
    expect(rows[4]).toMatch(/^Thu {2}✶■■■■□/);
    expect(stdout).toContain('05-14 Ascension Day');
    expect(stdout).toContain('Spring 2026 from 02-20');
    expect(rows.every((row) => row.length <= 80)).toBe(true);
  });

  test('bad input has its own message', () => {
    expect(durchblick('calendar', DEMO, '--range', '2026/2025')).toMatchObject({ code: 2, stdout: '' });
    expect(durchblick('calendar', DEMO, '--format', 'xls').stderr).toContain('It takes picture, csv');
    expect(durchblick('calendar', DEMO, '--format', 'parquet').stderr).toContain('--output calendar.parquet');
  });
});
