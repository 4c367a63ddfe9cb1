import type { ModelInput } from '../src/index.ts';

/**
 * Orders and their lines in the shape of a trading company's books: one to seven lines an order, and four dates a
 * line: ordered, promised, shipped, received. DuckDB makes them, the same ones every time.
 */
export const orderStatements = (lines: number): readonly string[] => [
  `create table orders as
    select o::integer as order_id, (date '2019-01-01' + (hash(o * 3 + 1) % 2557)::integer) as ordered_on,
      (hash(o * 5 + 2) % 150000)::integer as customer_id, (hash(o * 7 + 3) % 25)::integer + 1 as nursery_id,
      ['urgent', 'high', 'normal', 'low'][(hash(o * 11 + 4) % 4)::integer + 1] as priority
    from range(${Math.ceil(lines / 4)}) t(o)`,
  `create table lines as
    select order_id, ordered_on, ordered_on + 20 + (hash(order_id * 17 + n) % 60)::integer as promised_on,
      ordered_on + 1 + (hash(order_id * 19 + n) % 121)::integer as shipped_on, customer_id, nursery_id,
      (hash(order_id * 23 + n) % 20000)::integer + 1 as plant_id, (hash(order_id * 29 + n) % 50)::integer + 1 as quantity,
      ((hash(order_id * 31 + n) % 1000000)::integer + 90000)::decimal(12, 2) / 100 as price,
      (hash(order_id * 37 + n) % 11)::integer::decimal(4, 2) / 100 as discount
    from orders, range(7) t(n) where n <= hash(order_id * 13) % 7`,
  `alter table lines alter price type decimal(12, 2)`,
  `alter table lines alter discount type decimal(4, 2)`,
  `alter table lines add column received_on date`,
  `update lines set received_on = case when shipped_on <= date '2025-12-20' then shipped_on + 1 + (hash(order_id * 41) % 30)::integer end`,
  `create table nurseries as select i + 1 as nursery_id, 'Nursery ' || (i + 1) as name, ['North', 'South', 'East', 'West', 'Alps'][(i % 5) + 1] as region from range(25) t(i)`,
  `create table budget as select (date '2019-01-01' + to_months(m))::date as month, region, (2000000 + 10000 * (m % 7))::decimal(12, 2) as amount
    from range(84) t(m), (select distinct region from nurseries)`,
];

/** Sources by name, so that tables, files or queries can stand for them. */
export const orderModel = (sources: NonNullable<ModelInput['sources']>): ModelInput => ({
  name: 'Orders of Grünhof',
  sources,
  dimensions: {
    nursery: { source: 'nurseries', key: 'nursery_id', attributes: { nursery: 'name', region: 'region' } },
    order: { source: 'orders', key: 'order_id', attributes: { priority: 'priority' } },
  },
  facts: {
    lines: {
      source: 'lines',
      dates: {
        ordered: 'ordered_on',
        promised: { column: 'promised_on', horizon: 'plan' },
        shipped: 'shipped_on',
        received: 'received_on',
      },
      columns: { net: 'price - price * discount' },
      links: { nursery: 'nursery_id', order: 'order_id' },
      measures: {
        revenue: { sum: 'price', role: 'ordered' },
        net: { sum: 'net', role: 'ordered' },
        lines: { count: 'rows', role: 'ordered' },
        quantity: { sum: 'quantity', role: 'ordered' },
        'average-line': { average: 'price', role: 'ordered' },
        customers: { countDistinct: 'customer_id', role: 'ordered' },
        backlog: { sum: 'price', open: 'ordered/shipped' },
        transit: { daysBetween: 'shipped/received', role: 'received' },
      },
    },
    budget: {
      source: 'budget',
      grain: 'month',
      horizon: 'plan',
      dates: { planned: 'month' },
      links: { 'nursery.region': 'region' },
      measures: { budget: { sum: 'amount', spread: 'working-days' } },
    },
  },
  formulas: { attainment: '(revenue over mtd) / (budget over mtd)' },
});
