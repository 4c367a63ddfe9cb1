import fc from 'fast-check';
import { expect, test } from 'vitest';
import { DurchblickError, type Engine } from '../../src/index.ts';
import { assertDraws } from '../setup/draws.ts';
import { duckdb, memory } from '../setup/library.ts';
import { data, openWorld, question } from './world.ts';

test.each([
  ['memory', memory],
  ['duckdb', (tables: Parameters<typeof memory>[0]) => duckdb({ tables })],
] as const)(
  'V2: a second computation, row by row, agrees with %s about any question',
  async (_, engine) => {
    let compared = 0;
    await assertDraws(
      fc.asyncProperty(data, fc.array(question, { minLength: 4, maxLength: 4 }), async (drawn, asked) => {
        const { book } = await openWorld(drawn, engine as (tables: Parameters<typeof memory>[0] & object) => Engine);
        for (const one of asked) {
          try {
            const { cells, different } = await book.verify(one as never);
            compared += cells;
            expect(different, JSON.stringify(one)).toEqual([]);
          } catch (error) {
            if (!(error instanceof DurchblickError)) throw error;
          }
        }
        await book.close();
      }),
      { few: 4, many: 50 },
    );
    expect(compared).toBeGreaterThan(100);
  },
  600_000,
);
