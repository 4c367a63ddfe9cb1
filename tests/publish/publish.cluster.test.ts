// Publications to a real cluster, where there can be one (CONTRIBUTING.md).

import { cpSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import Papa from 'papaparse';
import { expect, test } from 'vitest';
import { statement } from '../../src/engines/trino/client.ts';
import { durchblick, makeFolder, ROOT } from '../setup/builders.ts';
import { clusterUrl } from '../setup/cluster.ts';

test.skipIf(clusterUrl === undefined)(
  'a table of a cluster holds what `ask` prints, is replaced where it differs, and is left alone where not',
  async () => {
    const folder = makeFolder();
    cpSync(join(ROOT, 'demo'), folder, { recursive: true });
    const model = join(folder, 'model.yaml');
    const schema = `reports_${process.pid}`;
    const text = readFileSync(model, 'utf8').replace(
      /publications:[\s\S]*?\n\n/,
      `publications:\n  monthly: { question: monthly-sales, table: ${schema}.monthly }\n  days: { calendar: 2023/2026, table: ${schema}.days }\n\n`,
    );
    writeFileSync(model, text);
    const connection = { server: clusterUrl as string, user: 'tests', catalog: 'lake', schema };
    const into = `${(clusterUrl as string).replace('http://', 'trino://tests@')}/lake/${schema}`;
    const publish = () => {
      const { code, stdout, stderr } = durchblick('publish', folder, '--into', into, '--format', 'json');
      return [code, stderr, (JSON.parse(stdout) as { state: string }[]).map(({ state }) => state).join()];
    };
    expect(publish()).toEqual([0, '', 'created,created']);
    const asked = Papa.parse<string[]>(durchblick('ask', folder, '--question', 'monthly-sales', '--format', 'csv').stdout, {
      skipEmptyLines: true,
    }).data;
    const { rows, columns } = await statement(connection, 'select * from monthly order by period', undefined);
    expect(rows.map(([period, , , , ...values]) => [period, ...values.map(Number)])).toEqual(
      asked.slice(1).map(([period, ...values]) => [period, ...values.map(Number)]),
    );
    expect(columns.map(({ type }) => type)).toEqual(['varchar', 'date', 'date', 'boolean', 'decimal(22, 6)', 'decimal(22, 6)', 'double']);
    expect((await statement(connection, 'select count(*), count(distinct date) from days', undefined)).rows).toEqual([[1461, 1461]]);
    expect(publish()).toEqual([0, '', 'unchanged,unchanged']);
    writeFileSync(model, text.replace('range: ytd', 'range: 2025'));
    expect(publish()).toEqual([0, '', 'replaced,unchanged']);
    expect((await statement(connection, 'select count(*) from monthly', undefined)).rows).toEqual([[12]]);
    for (const name of ['monthly', 'days']) await statement(connection, `drop table ${name}`, undefined);
    await statement(connection, `create table days as select 1 as one`, undefined);
    const { code, stderr } = durchblick('publish', folder, 'days', '--into', into);
    expect([code, stderr]).toEqual([1, expect.stringMatching(/days exists, and is not marked/)]);
    await statement(connection, 'drop table days', undefined);
  },
);
