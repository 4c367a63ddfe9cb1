import { readFileSync } from 'node:fs';
import fc from 'fast-check';
import { expect, test } from 'vitest';
import { assembleKernel, KERNEL_MODULE } from '../../scripts/kernel.ts';
import { NO_DAY } from '../../src/calendar/day.ts';
import { ownRoom, type Room, sharedRoom } from '../../src/engines/memory/kernel-memory.ts';
import { type Scan, scanPlainly } from '../../src/engines/memory/scan.ts';
import { scanAll } from '../../src/engines/memory/scan-all.ts';

test('the assembled kernel is that of its text', async () => {
  expect(readFileSync(KERNEL_MODULE, 'utf8')).toBe(await assembleKernel());
});

const CODES = [Uint8Array, Uint16Array, Int32Array] as const;

/** Two scans over the same rows: one by single days, one by segments with gaps; blanks, masks and every aggregate. */
const scans = (room: Room): fc.Arbitrary<Scan[]> =>
  fc
    .record({
      rows: fc.array(
        fc.record({ day: fc.integer({ min: -5, max: 60 }), code: fc.nat(4), value: fc.integer({ min: -99, max: 99 }), mask: fc.nat(3) }),
        {
          maxLength: 90,
        },
      ),
      repeat: fc.constantFrom(1, 1, 97),
      width: fc.nat(2),
      masked: fc.boolean(),
      split: fc.boolean(),
    })
    .map(({ rows: drawn, repeat, width, masked, split }) => {
      const rows = Array.from({ length: repeat }, () => drawn).flat();
      const list = <T extends Int32Array | Uint8Array | Float64Array>(
        maker: Parameters<Room['make']>[0],
        value: (row: (typeof rows)[0]) => number,
      ): T => {
        const made = room.make(maker, rows.length);
        rows.forEach((row, i) => {
          made[i] = value(row);
        });
        return made as unknown as T;
      };
      const days = list<Int32Array>(Int32Array, ({ day }) => (day === 60 ? NO_DAY : day - 20));
      const codes = split ? list<Int32Array>(CODES[width], ({ code }) => code) : undefined;
      const some = list<Float64Array>(Float64Array, ({ value }) => (value === 7 ? Number.NaN : value));
      const all = list<Float64Array>(Float64Array, ({ value }) => value);
      const mask = list<Uint8Array>(Uint8Array, ({ mask: bit }) => (bit === 0 ? 0 : 1));
      const own = list<Uint8Array>(Uint8Array, ({ mask: bit }) => (bit === 1 ? 0 : 1));
      const columns = [undefined, own].flatMap((at) => [
        { kind: 'rows' as const, values: undefined, full: true, exact: true, mask: at },
        { kind: 'count' as const, values: some, full: false, exact: true, mask: at },
        { kind: 'sum' as const, values: some, full: false, exact: true, mask: at },
        { kind: 'sum' as const, values: all, full: true, exact: true, mask: at },
        { kind: 'min' as const, values: some, full: false, exact: true, mask: at },
        { kind: 'max' as const, values: all, full: true, exact: true, mask: at },
      ]);
      const layout = { rows: rows.length, days, codes, members: split ? 5 : 1, mask: masked ? mask : undefined };
      // Days -25 to 34 in segments of five days, every third of them in none.
      const slotOf = Int32Array.from({ length: 60 }, (_, d) => (Math.floor(d / 5) % 3 === 2 ? 12 : Math.floor(d / 5)) * layout.members);
      return [
        { layout: { ...layout, base: -10, slotOf: 'daily', segments: 30 }, columns },
        { layout: { ...layout, base: -25, slotOf, segments: 12 }, columns },
        { layout: { ...layout, days: undefined, base: 0, slotOf: new Int32Array(0), segments: 1 }, columns },
      ];
    });

test.each([
  ['columns copied block by block', ownRoom()],
  ['columns in shared memory', sharedRoom()],
])('the kernel scans as the plain loop does: %s', async (_, room) => {
  await fc.assert(
    fc.asyncProperty(scans(room), async (drawn) => {
      expect(await scanAll(drawn, room, undefined)).toEqual(scanPlainly(drawn));
    }),
    { numRuns: 200, seed: 1 },
  );
});
