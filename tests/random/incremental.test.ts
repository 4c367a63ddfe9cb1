import fc from 'fast-check';
import { expect, test } from 'vitest';
import type { PlainCells } from '../../src/evaluate/cubes.ts';
import { baseIn, grownCells, keptIndex, partsOf } from '../../src/evaluate/grown.ts';
import type { AggregateRequest, RowSet, Segments } from '../../src/plan/request.ts';
import { cutSegments, equalSegments } from '../../src/plan/segments.ts';
import { assertDraws } from '../setup/draws.ts';

interface Row {
  readonly day: number;
  readonly member: string;
  readonly value: number;
}

const ROWS = { fact: { name: 'sales' }, role: 'sold', attributes: [], filters: [], knownBy: undefined } as unknown as RowSet;
const KINDS = ['rows', 'sum', 'count', 'min', 'max'] as const;
const aggregateOf = (kind: (typeof KINDS)[number]): AggregateRequest =>
  kind === 'rows' ? { kind, where: [] } : { kind, value: { kind: 'column', column: 'amount' }, where: [] };

/** What an engine answers: members in order, those alone that have rows. */
const answered = (kind: (typeof KINDS)[number], segments: Segments, rows: readonly Row[], scale: number): PlainCells => {
  const inside = rows.filter(({ day }) => segments.starts.some((start, s) => start <= day && day <= segments.ends[s]));
  const members = [...new Set(inside.map(({ member }) => member))].sort();
  const cells = Array.from(segments.starts).flatMap((start, s) =>
    members.map((own) => {
      const values = inside
        .filter(({ day, member }) => member === own && start <= day && day <= segments.ends[s])
        .map(({ value }) => value * 10 ** scale);
      if (kind === 'min' || kind === 'max') return values.length === 0 ? Number.NaN : Math[kind](...values);
      return kind === 'sum' ? values.reduce((sum, value) => sum + value, 0) : values.length;
    }),
  );
  return {
    segments,
    tuples: members.map((member) => [member]),
    cells: Float64Array.from(cells),
    scale: kind === 'rows' || kind === 'count' ? 0 : scale,
  };
};

const rows = fc.array(
  fc.record({
    day: fc.integer({ min: 0, max: 19 }),
    member: fc.constantFrom('North', 'South', 'Alps'),
    value: fc.integer({ min: -50, max: 50 }),
  }),
  { maxLength: 30 },
);

test('V6: cells of earlier rows, of those that came, and of days not asked for before make those of all rows', () => {
  assertDraws(
    fc.property(
      fc.constantFrom(...KINDS),
      rows,
      rows,
      fc.integer({ min: 0, max: 12 }),
      fc.integer({ min: 1, max: 7 }),
      fc.nat(2),
      (kind, before, came, from, days, finer) => {
        const wanted = equalSegments({ first: 0, last: 19 }, 1);
        const known = equalSegments({ first: from, last: from + days - 1 }, 1);
        const aggregate = aggregateOf(kind);
        const cells = answered(kind, known, before, 0);
        const base = baseIn(keptIndex([{ rows: ROWS, aggregate, cells }]), ROWS, wanted, aggregate);
        expect(base).toBeDefined();
        if (!base) return;
        const { within, beyond } = partsOf(wanted, base);
        const all = [...before, ...came];
        const grown = grownCells(wanted, aggregate, base, answered(kind, within, came, finer), answered(kind, beyond, all, finer));
        const { cells: found, tuples, scale } = answered(kind, wanted, all, finer);
        expect({ cells: Array.from(grown?.cells ?? []), tuples: grown?.tuples, scale: grown?.scale }).toEqual({
          cells: Array.from(found),
          tuples,
          scale,
        });
      },
    ),
    { few: 300, many: 3000 },
  );
});

// biome-ignore format: one case a line
test.each<[string, Partial<RowSet>, Segments, AggregateRequest]>([
  ['other rows', { knownBy: 5 }, equalSegments({ first: 0, last: 9 }, 1), aggregateOf('sum')],
  ['revisions, of which a later row replaces an earlier one', { fact: { name: 'sales', recorded: 'loaded' } as never }, equalSegments({ first: 0, last: 9 }, 1), aggregateOf('sum')],
  ['rows that are hidden', { hidden: 'counted' }, equalSegments({ first: 0, last: 9 }, 1), aggregateOf('sum')],
  ['first times, of which an earlier row takes a later one', {}, equalSegments({ first: 0, last: 9 }, 1), { kind: 'first-time', column: 'buyer', where: [] }],
  ['stretches that are cut elsewhere', {}, cutSegments([0, 2, 5], 9), aggregateOf('sum')],
  ['fewer days', {}, equalSegments({ first: 0, last: 2 }, 1), aggregateOf('sum')],
])('V6: cells of %s are no base', (_, own, wanted, aggregate) => {
  const asked = { ...ROWS, ...own };
  const kept = own.knownBy === undefined ? asked : ROWS;
  const cells = answered('sum', equalSegments({ first: 0, last: 3 }, 1), [{ day: 1, member: 'North', value: 1 }], 0);
  expect(baseIn(keptIndex([{ rows: kept, aggregate, cells }]), asked, wanted, aggregate)).toBeUndefined();
});

test('M10: sums that are not exact are no base, since they hang on the order of their rows', () => {
  const wanted = equalSegments({ first: 0, last: 9 }, 1);
  const cells = { ...answered('sum', wanted, [{ day: 1, member: 'North', value: 1 }], 0), scale: -1 };
  const base = baseIn(keptIndex([{ rows: ROWS, aggregate: aggregateOf('sum'), cells }]), ROWS, wanted, aggregateOf('sum'));
  expect(base && grownCells(wanted, aggregateOf('sum'), base, undefined, undefined)).toBeUndefined();
});
