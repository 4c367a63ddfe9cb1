import { describe, expect, test } from 'vitest';
import { calendar } from '../../src/calendar/calendar.ts';
import { toDay } from '../../src/calendar/day.ts';
import { kindsFor } from '../../src/evaluate/shapes/table.ts';
import { defineModel, type Question } from '../../src/index.ts';
import { axisOf } from '../../src/plan/axis.ts';
import { leavesOf } from '../../src/plan/bind.ts';
import { planOf } from '../../src/plan/plan.ts';
import type { PlanFrame, PlannedView } from '../../src/plan/planned.ts';
import { askedOf } from '../../src/plan/question.ts';
import { filterKey } from '../../src/plan/request.ts';
import { factSegments } from '../../src/plan/segments.ts';

const model = defineModel({
  name: 'Plans',
  sources: { orders: {}, budget: {}, nurseries: {} },
  dimensions: { nursery: { source: 'nurseries', key: 'id', attributes: { nursery: 'name', region: 'region' } } },
  facts: {
    orders: {
      source: 'orders',
      dates: { ordered: 'ordered', shipped: 'shipped' },
      enters: 'ordered',
      links: { nursery: 'nursery_id' },
      measures: {
        revenue: { sum: 'price', role: 'ordered' },
        large: { count: 'rows', role: 'ordered', where: { region: ['North'] } },
        customers: { countDistinct: 'customer', role: 'ordered' },
        backlog: { count: 'rows', open: 'ordered/shipped' },
        transit: { daysBetween: 'ordered/shipped', role: 'ordered' },
      },
    },
    budget: {
      source: 'budget',
      dates: { month: { column: 'month', horizon: 'plan' } },
      grain: 'month',
      links: { 'nursery.region': 'region' },
      measures: { target: { sum: 'amount', role: 'month', spread: { like: 'revenue' }, spreadAcross: { nursery: 'revenue' } } },
    },
  },
});

/** A frame without any engine: what a state of the data would tell, written down. */
const frameOf = async (question: Question, asOf = '2026-05-20') => {
  const asked = askedOf(model, question);
  const bounds = { first: toDay('2024-01-01'), last: toDay('2026-12-31') };
  const kinds = await kindsFor(
    [...asked.columns, ...asked.order].map(({ bound }) => bound),
    model,
  );
  const frame: PlanFrame = {
    model,
    calendar: calendar({ from: '2020-01-01', to: '2030-12-31' }),
    asOf: toDay(asOf),
    bounds: () => bounds,
    dates: () => bounds,
    knownBy: undefined,
    boundsBy: () => ({ bounds: () => bounds, dates: () => bounds }),
    fixed: [],
    rows: 'seen',
    whole: undefined,
    late: new Map([['orders', new Set(['shipped'])]]),
    memberCounts: new Map(),
    reached: new Map(),
    reads: 'all',
    dailyCells: 4_000_000,
    segments: factSegments(),
    kindOf: kinds.kindOf,
    compare: kinds.compare,
  };
  const leaves = asked.columns.flatMap(({ bound }) => leavesOf(bound));
  return { asked, frame, axis: axisOf(asked, leaves, model, frame.calendar, frame.asOf, frame.bounds) };
};
const planned = async (question: Question, asOf?: string) => {
  const { asked, axis, frame } = await frameOf(question, asOf);
  const { cells, ranking } = planOf(asked, axis, undefined, frame);
  return { cells: cells[0], ranking: ranking?.[0] };
};

/** A view as it would be printed: names for things of the model, lists for typed arrays. */
const printed = (view: PlannedView | undefined): unknown =>
  JSON.parse(
    JSON.stringify(view ?? null, (key, value: unknown) => {
      if (typeof value === 'function') throw new Error(`${key} is no data`);
      if (key === 'view') return undefined;
      if (ArrayBuffer.isView(value)) return Array.from(value as Int32Array);
      if (
        value !== null &&
        typeof value === 'object' &&
        'name' in value &&
        ('measures' in value || 'attributes' in value || 'fact' in value)
      )
        return value.name;
      return value;
    }),
  );

describe('a plan is plain data', () => {
  const questions: readonly Question[] = [
    { show: ['revenue', 'revenue vs year-earlier as change'], by: 'month', per: ['region'], range: '2026-Q2' },
    { show: ['customers over [P28D/anchor]', 'backlog', 'transit'], by: 'week', range: '2026-05' },
    { show: ['revenue over mtd / target over mtd', 'target'], by: 'day', per: ['nursery'], range: '2026-05-01/2026-05-10' },
    { show: ['revenue'], by: 'month', per: ['region'], range: '2026', order: 'revenue desc', limit: 2, totals: true },
  ];
  test.each(questions)('it is made without an engine, holds no function, and is the same again: %o', async (question) => {
    const [first, second] = [await planned(question), await planned(question)];
    expect(printed(first.cells)).toEqual(printed(second.cells));
    expect(printed(first.ranking)).toEqual(printed(second.ranking));
    expect(first.cells.measures.length).toBeGreaterThan(0);
  });

  test('a measure at one time stands in it once, however often readings use it', async () => {
    const { cells } = await planned({
      show: ['revenue', 'revenue - (revenue vs previous)', 'revenue vs previous'],
      by: 'month',
      range: '2026-Q1',
    });
    expect(cells.measures.map(({ leaf }) => leaf.measure.name)).toEqual(['revenue', 'revenue']);
    expect(cells.readings.map(({ others }) => others?.length)).toEqual([undefined, 1, 1]);
  });

  test('as value reads the other time alone, and lays its own days for the caption (C8, C9)', async () => {
    const { cells } = await planned({ show: ['revenue vs year-earlier as value'], by: 'month', range: '2026-04' });
    const [{ own, others, read }] = cells.readings;
    expect(own).toHaveLength(1);
    expect(read).toEqual(others);
  });

  test('amounts spread by a reading hold its plan, daily for cut months and by finer member (G3, G6)', async () => {
    const { cells } = await planned({ show: ['target'], by: 'day', per: ['nursery'], range: '2026-05-01/2026-05-03' });
    const [target] = cells.measures;
    expect(target.days?.measures.map(({ leaf }) => leaf.measure.name)).toEqual(['revenue']);
    expect(target.members.map(({ part, below }) => [part, below.map(({ key }) => key)])).toEqual([['nursery', ['nursery.nursery']]]);
    const whole = await planned({ show: ['target'], by: 'month', range: '2026-05' });
    expect(whole.cells.measures[0].days).toBeUndefined();
  });
});

describe('every filter carries its reason, and no reason changes what is asked', () => {
  const reasons = async (question: Question, asOf?: string): Promise<string[]> => {
    const { cells } = await planned(question, asOf);
    const { asks, where } = cells.measures[0];
    return [...asks.counted.filters, ...where].map(({ kind, why }) => `${kind}: ${why}`);
  };
  test.each<[string, Question, string[]]>([
    ['the question (M3)', { show: ['revenue'], where: { region: 'North' } }, ['members: question']],
    ['the measure (M3)', { show: ['large'] }, ['members: measure']],
    ['entry after the date (A2)', { show: ['revenue on shipped'] }, ['entered: entered']],
    ['order of dates (M5)', { show: ['backlog'] }, ['order: dates']],
    ['both dates, and what is known of them (M6, A2)', { show: ['transit'] }, ['date: dates', 'date: dates', 'order: dates', 'by: known']],
  ])('%s', async (_, question, expected) => {
    expect(await reasons({ by: 'month', range: '2026', ...question })).toEqual(expected);
  });
  test('the same condition for another reason is the same request', () => {
    const condition = { kind: 'date', role: 'ordered', is: 'blank' } as const;
    expect(filterKey({ ...condition, why: 'told' })).toEqual(filterKey({ ...condition, why: 'dates' }));
  });
});
