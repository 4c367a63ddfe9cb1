// A coordinator that is killed, and one that is there again: an answer or a clear error, never a wrong number (V6).

import { spawnSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { inspect } from 'node:util';
import { expect, test } from 'vitest';
import { defineModel, open } from '../../src/index.ts';
import { factModel, openBook } from '../setup/builders.ts';
import { cluster, loadIntoCluster } from '../setup/cluster.ts';
import { trino } from '../setup/library.ts';

const model = factModel(
  'sales',
  { dates: { sold: 'sold' }, measures: { revenue: { sum: 'amount' } } },
  {
    sources: {
      sales: { table: 'sales' },
      heavy: { query: 'select sold, amount from sales, unnest(sequence(1, 10000)), unnest(sequence(1, 10000)), unnest(sequence(1, 100))' },
    },
  },
);
const SALES = [
  { sold: '2026-01-05', amount: 12.5 },
  { sold: '2026-02-01', amount: 7.25 },
];

test.skipIf(!cluster?.env)(
  'a coordinator that is killed is an error that says where; once it is there again the same book answers (V6)',
  async () => {
    const own = cluster?.env as Readonly<Record<string, string>>;
    const kill = (): void =>
      void process.kill(Number(readFileSync(join(own.DURCHBLICK_CLUSTER_RUN, 'coordinator.pid'), 'utf8')), 'SIGKILL');
    const restart = (): void => {
      const { status, stderr } = spawnSync(process.execPath, ['scripts/cluster.mjs', 'start'], {
        env: { ...process.env, ...own },
        encoding: 'utf8',
      });
      expect(status, stderr).toBe(0);
    };
    const loaded = await loadIntoCluster('killed', { sales: SALES }, { catalog: 'lake' });
    const book = await openBook(model, trino({ ...loaded.options, token: 'geheim' }));
    const asked = async (unit: string) => (await book.ask({ show: ['revenue'], by: unit, range: '2026-Q1' } as never)).rows;
    const wanted = [
      ['2026-01', 12.5],
      ['2026-02', 7.25],
      ['2026-03', null],
    ];
    expect(await asked('month')).toEqual(wanted);
    // In the middle of a question: a statement that the cluster works at for long.
    const busy = open(
      defineModel({
        ...(model.input as object),
        facts: { heavy: { source: 'heavy', dates: { sold: 'sold' }, measures: { all: { sum: 'amount' } } } },
      } as never),
      trino(loaded.options),
    );
    const fails = expect(busy).rejects.toMatchObject({ code: 'no-connection', message: expect.stringContaining(loaded.options.server) });
    await new Promise((done) => setTimeout(done, 2000));
    kill();
    await fails;
    const gone = await asked('quarter').catch((error: Error) => error);
    expect(gone).toMatchObject({ code: 'no-connection', message: expect.stringContaining(loaded.options.server) });
    expect(inspect(gone)).not.toContain('geheim');
    restart();
    expect(await asked('month')).toEqual(wanted);
    await loaded.insert('sales', [{ sold: '2026-03-01', amount: 1 }]);
    expect(await asked('quarter')).toEqual([['2026-Q1', 20.75]]);
    await loaded.drop();
  },
);
