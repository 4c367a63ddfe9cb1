import fc from 'fast-check';
import { type Book, defineModel, type Engine, type Model, type ModelInput, open, type Question } from '../../src/index.ts';
import type { RefRow, RefWorld } from '../reference/ground.ts';
import { fromIso, iso, type Span } from '../reference/time.ts';
import type { Tables } from '../setup/builders.ts';
import { memory } from '../setup/library.ts';

/** A small Grünhof whose rows are drawn at random; everything the rules speak of can happen in it. */
export const REGIONS: Readonly<Record<string, { readonly region: string; readonly country: string }>> = {
  n: { region: 'North', country: 'Germany' },
  s: { region: 'South', country: 'Germany' },
  a: { region: 'Alps', country: 'Austria' },
};
export const PRODUCTS: Readonly<Record<string, { readonly product: string; readonly family: string }>> = {
  p1: { product: 'Basil', family: 'Herbs' },
  p2: { product: 'Mint', family: 'Herbs' },
  p3: { product: 'Maple', family: 'Trees' },
};
const SEASONS = [
  ['Spring 24', '2024-02-20', '2024-05-31'],
  ['Autumn 24', '2024-09-01', '2024-11-15'],
  ['Spring 25', '2025-02-20', '2025-05-31'],
  ['Autumn 25', '2025-09-01', '2025-11-15'],
] as const;
const HOLIDAYS = ['2024-05-01', '2024-12-25', '2025-01-01', '2025-05-01', '2025-10-03'];

export const modelInput = (spread: Data['spread'], grain: Data['grain'], planHorizon: 'plan' | 'actual', shape: string): ModelInput => ({
  timeZone: 'Europe/Berlin',
  calendar: {
    yearSystems: {
      fiscal: { starts: '--04-06', label: 'FY{year}' },
      retail: { pattern: '4-4-5', ends: 'saturday nearest june 30', label: 'R{year}' },
    },
    periods: { season: { rows: Object.fromEntries(SEASONS.map(([name, starts, ends]) => [name, { starts, ends }])) } },
    workingDays: { holidays: [...HOLIDAYS] },
  },
  sources: { sales: {}, regions: {}, products: {}, budget: {}, stock: {}, customers: {}, fx: {}, steps: {} },
  rates: {
    'to-eur': { source: 'fx', date: 'month', grain: 'month', of: 'rate', by: { region: 'code' } },
    step: { source: 'steps', date: 'day', of: 'factor', hold: 40 },
  },
  dimensions: {
    product: { source: 'products', key: 'id', attributes: { product: 'product', family: 'family' } },
    region: { source: 'regions', key: 'id', attributes: { region: 'region', country: 'country' } },
    channel: {},
    customer: { source: 'customers', key: 'id', valid: { from: 'since', until: 'until' }, attributes: { segment: 'segment' } },
  },
  facts: {
    sales: {
      source: 'sales',
      enters: 'ordered',
      dates: { ordered: 'ordered', promised: { column: 'promised', horizon: 'plan' }, shipped: 'shipped' },
      links: {
        product: 'product',
        region: 'region',
        channel: 'channel',
        customer: 'order',
        'shipped-customer': { dimension: 'customer', column: 'order', at: 'shipped' },
        'present-customer': { dimension: 'customer', column: 'order', at: 'now' },
      },
      columns: { eur: 'amount * to-eur', stepped: 'round(max(amount, 10) * step on shipped, 1)' },
      bands: { size: { of: 'amount', starts: { small: 0, large: 100 } } },
      measures: {
        revenue: { sum: 'amount', role: 'ordered' },
        'in-eur': { sum: 'eur', role: 'ordered' },
        stepped: { sum: 'stepped', role: 'ordered' },
        lines: { count: 'rows', role: 'ordered' },
        orders: { countDistinct: 'order', role: 'ordered' },
        mean: { average: 'amount', role: 'ordered' },
        least: { min: 'amount', role: 'ordered' },
        most: { max: 'amount', role: 'ordered' },
        weekend: { sum: 'amount', role: 'ordered', where: { weekday: ['Sat', 'Sun'] } },
        web: { sum: 'amount', role: 'ordered', where: { channel: 'web' }, empty: 'zero' },
        'median-line': { median: 'amount', role: 'ordered' },
        'slow-orders': { percentile: { of: 'ordered/shipped', at: 0.9 }, role: 'shipped' },
        'slow-working': { percentile: { of: 'ordered/shipped', at: 0.25 }, role: 'ordered', workingDays: true },
        'new-orders': { firstTime: 'order', role: 'ordered' },
        'new-weekend': { firstTime: 'order', role: 'shipped', where: { weekday: ['Sat', 'Sun'], channel: 'web' } },
        backlog: { sum: 'amount', open: 'ordered/shipped' },
        'lead-time': { daysBetween: 'ordered/shipped', role: 'shipped' },
        'working-lead': { daysBetween: 'ordered/shipped', role: 'ordered', workingDays: true },
      },
    },
    budget: {
      source: 'budget',
      grain,
      horizon: planHorizon,
      dates: { planned: 'planned' },
      links: { region: 'region', 'product.family': 'family' },
      recorded: 'recorded',
      versionKey: ['planned', 'region', 'family'],
      measures: {
        budget: { sum: 'amount', spread, unrelated: 'repeat' },
        'budget-fine': {
          sum: 'amount',
          spread,
          spreadAcross: { product: shape },
          unrelated: 'repeat',
        },
        posts: { countDistinct: 'family', unrelated: 'repeat' },
      },
    },
    stock: {
      source: 'stock',
      // Regions that are filtered for good say nothing about stock (V3).
      openTo: 'everyone',
      dates: { counted: 'counted' },
      links: { product: 'product' },
      measures: Object.fromEntries(
        (['last', 'first', 'average', 'min', 'max', 'last-known'] as const).map((way) => [
          `stock-${way}`,
          { sum: 'quantity', acrossTime: way, unrelated: 'repeat' as const },
        ]),
      ),
    },
  },
  formulas: { 'per-order': 'revenue / orders', attainment: '(revenue over mtd) / (budget over mtd)' },
  windows: { 'last-14-days': { is: 'P14D/anchor', previous: '-P14D' }, 'full-quarter': { is: 'P3M/anchor', full: true } },
  comparisons: {
    'same-weekdays': { shift: '-P52W' },
    january: { base: '2025-01' },
    'whole-month-before': { shift: '-P1M', match: 'whole' },
  },
});

const FIRST = fromIso('2024-01-15');
/** Customers by order number: some have moved between segments, some were none for a while, the last is not known. */
const CUSTOMERS = Array.from({ length: 11 }, (_, k) => k + 1).flatMap((k) => {
  const [joined, left] = [FIRST + 40 * k, FIRST + 350 + 10 * k];
  const gap = k % 4 === 0 ? 60 : 0;
  return [
    { id: String(k), since: undefined, until: joined, segment: 'new' },
    { id: String(k), since: joined, until: left, segment: k % 3 === 0 ? 'new' : 'regular' },
    { id: String(k), since: left + gap, until: undefined, segment: 'loyal' },
  ];
});
/** Rates by month; Austria's are not known before 2025 (G10). */
const RATES = Array.from({ length: 36 }, (_, k) => `${2024 + Math.floor(k / 12)}-${String((k % 12) + 1).padStart(2, '0')}`).flatMap(
  (month, k) => [
    { month, code: 'n', rate: 1 },
    { month, code: 's', rate: 0.9 + k / 1000 },
    ...(k < 12 ? [] : [{ month, code: 'a', rate: 1.1 }]),
  ],
);
const STEPS = [FIRST, FIRST + 100, FIRST + 130, FIRST + 300].map((on, k) => ({ day: on, factor: 1 + k / 4 }));
const rateOn = (region: string | undefined, on: number | undefined): number | undefined =>
  RATES.find(({ month, code }) => code === region && on !== undefined && iso(on).startsWith(month))?.rate;
const stepOn = (on: number | undefined): number | undefined =>
  on === undefined ? undefined : STEPS.filter((row) => row.day <= on && on - row.day <= 40).pop()?.factor;
/** Times a factor, in cents and thousandths. */
const times = (amount: number | undefined, factor: number | undefined): number | undefined =>
  amount === undefined || factor === undefined ? undefined : (Math.round(amount * 100) * Math.round(factor * 1000)) / 1e5;
const tenths = (amount: number | undefined): number | undefined =>
  amount === undefined ? undefined : (Math.sign(amount) * Math.floor(Math.abs(Math.round(amount * 1e5)) / 1e4 + 0.5)) / 10;
const raised = (amount: number | undefined): number | undefined => (amount === undefined ? undefined : Math.max(amount, 10));
/** The segment that a customer was in on a day (G9). */
const segmentOn = (id: string, on: number | undefined): string =>
  CUSTOMERS.find((row) => row.id === id && on !== undefined && (row.since ?? -1e9) <= on && on < (row.until ?? 1e9))?.segment ??
  '(unknown)';
const day = fc.integer({ min: FIRST, max: FIRST + 640 });
const money = fc.integer({ min: -2000, max: 30000 }).map((cents) => cents / 100);
const key = <T extends string>(...keys: T[]) => fc.constantFrom(...keys);

interface Sale {
  readonly ordered: number | undefined;
  readonly wait: number | undefined;
  readonly promise: number;
  readonly order: string;
  readonly amount: number | undefined;
  readonly region: string | undefined;
  readonly product: string;
  readonly channel: string;
}
const sale: fc.Arbitrary<Sale> = fc.record({
  ordered: fc.option(day, { nil: undefined, freq: 20 }),
  wait: fc.option(fc.integer({ min: -2, max: 60 }), { nil: undefined, freq: 5 }),
  promise: fc.integer({ min: 0, max: 90 }),
  order: fc.integer({ min: 1, max: 12 }).map(String),
  amount: fc.option(money, { nil: undefined, freq: 15 }),
  region: fc.option(key('n', 's', 'a', 'x'), { nil: undefined, freq: 20 }),
  product: key('p1', 'p2', 'p3'),
  channel: key('web', 'shop'),
});

export interface Drawn {
  readonly book: Book;
  readonly world: RefWorld;
  readonly model: Model;
}

const isoOrNull = (d: number | undefined): string | null => (d === undefined ? null : iso(d));

const regionMembers = (region: string | undefined): Record<string, string> => {
  if (region === undefined) return { region: '(none)', country: '(none)' };
  const known = REGIONS[region];
  return known ? { ...known } : { region: '(unknown)', country: '(unknown)' };
};

const sizeOf = (amount: number | undefined): string => (amount === undefined || amount < 0 ? '(none)' : amount < 100 ? 'small' : 'large');

export interface Data {
  readonly sales: readonly Sale[];
  readonly budget: readonly { readonly planned: number; readonly amount: number; readonly region: string; readonly family: string }[];
  readonly stock: readonly { readonly counted: number; readonly quantity: number; readonly product: string }[];
  readonly spread: 'even' | 'working-days' | 'none' | { readonly like: string };
  readonly grain: 'month' | 'quarter' | 'week' | 'fiscal-month' | 'retail-month' | 'season';
  readonly horizon: 'plan' | 'actual';
  /** Filters fixed when the book is opened (V3). */
  readonly fixed: Readonly<Record<string, readonly string[]>>;
  /** In which a budget lies on products. */
  readonly shape: string;
}

export const data: fc.Arbitrary<Data> = fc.record({
  sales: fc.array(sale, { minLength: 1, maxLength: 60 }),
  budget: fc.array(
    fc.record({
      // Few days, so that some rows are revisions of each other.
      planned: fc.integer({ min: 0, max: 25 }).map((k) => FIRST + k * 30),
      amount: money,
      region: key('n', 's', 'a'),
      family: key('Herbs', 'Trees'),
    }),
    { minLength: 1, maxLength: 30 },
  ),
  stock: fc.array(fc.record({ counted: day, quantity: fc.integer({ min: 0, max: 50 }), product: key('p1', 'p2', 'p3') }), {
    minLength: 1,
    maxLength: 30,
  }),
  spread: fc.oneof(
    key('even', 'working-days', 'none'),
    key('lines', 'revenue vs year-earlier', 'revenue over rolling-7-days').map((like) => ({ like })),
  ),
  grain: key('month', 'quarter', 'week', 'fiscal-month', 'retail-month', 'season'),
  horizon: key('plan', 'actual'),
  fixed: fc.oneof(
    { weight: 4, arbitrary: fc.constant<Data['fixed']>({}) },
    { weight: 1, arbitrary: fc.constantFrom<Data['fixed'][]>({ region: ['North', 'South'] }, { family: ['Herbs'] }) },
  ),
  shape: key('revenue vs year-earlier', 'lines over to-date', 'lines over to-date', 'revenue over to-date'),
});

/** Tables as a user would pass them, and the same rows as the reference reads them. */
export const worldOf = (drawn: Data): { readonly world: RefWorld; readonly tables: Tables } => {
  const model = defineModel(
    // Seasons have no year to be earlier by (C5).
    modelInput(drawn.spread, drawn.grain, drawn.horizon, drawn.grain === 'season' && drawn.shape.includes('vs') ? 'revenue' : drawn.shape),
  );
  const sales = drawn.sales.map((row) => {
    const shipped = row.ordered === undefined || row.wait === undefined ? undefined : row.ordered + row.wait;
    const promised = row.ordered === undefined ? undefined : row.ordered + row.promise;
    return { ...row, shipped, promised };
  });
  const tables = {
    sales: sales.map((row) => ({
      ...row,
      ordered: isoOrNull(row.ordered),
      promised: isoOrNull(row.promised),
      shipped: isoOrNull(row.shipped),
      amount: row.amount ?? null,
      region: row.region ?? null,
    })),
    regions: Object.entries(REGIONS).map(([id, attributes]) => ({ id, ...attributes })),
    products: Object.entries(PRODUCTS).map(([id, attributes]) => ({ id, ...attributes })),
    fx: RATES,
    steps: STEPS.map((row) => ({ ...row, day: iso(row.day) })),
    customers: CUSTOMERS.map((row) => ({ ...row, since: isoOrNull(row.since), until: isoOrNull(row.until) })),
    budget: drawn.budget.map((row, k) => ({ ...row, planned: iso(row.planned), recorded: iso(FIRST + k * 20) })),
    stock: drawn.stock.map((row) => ({ ...row, counted: iso(row.counted) })),
  };
  const rows: Record<string, RefRow[]> = {
    sales: sales.map((row) => ({
      dates: { ordered: row.ordered, promised: row.promised, shipped: row.shipped },
      members: {
        ...regionMembers(row.region),
        ...PRODUCTS[row.product],
        channel: row.channel,
        size: sizeOf(row.amount),
        segment: segmentOn(row.order, row.ordered),
        'shipped-customer.segment': segmentOn(row.order, row.shipped),
      },
      now: (on: number) => ({ 'present-customer.segment': segmentOn(row.order, on) }),
      columns: {
        amount: row.amount,
        order: row.order,
        eur: times(row.amount, rateOn(row.region, row.ordered)),
        stepped: tenths(times(raised(row.amount), stepOn(row.shipped))),
      },
    })),
    budget: drawn.budget.map((row, k) => ({
      recorded: FIRST + k * 20,
      dates: { planned: row.planned },
      members: { ...regionMembers(row.region), family: row.family },
      columns: { amount: row.amount, family: row.family, region: row.region, planned: row.planned },
    })),
    stock: drawn.stock.map((row) => ({
      dates: { counted: row.counted },
      members: { ...PRODUCTS[row.product] },
      columns: { quantity: row.quantity, product: row.product },
    })),
  };
  const listed = new Map<string, readonly Span[]>([
    ['season', SEASONS.map(([, start, end]) => ({ start: fromIso(start), end: fromIso(end) }))],
  ]);
  return {
    world: {
      model,
      rows,
      listed,
      names: new Map(SEASONS.map(([name, start]) => [fromIso(start), name])),
      holidays: new Set(HOLIDAYS.map(fromIso)),
      products: Object.values(PRODUCTS),
      fixed: drawn.fixed,
      reaches: {
        sales: [...'region country product family channel size segment shipped-customer.segment present-customer.segment'.split(' ')],
        budget: ['region', 'country', 'family'].filter((name) => name !== ''),
        stock: ['product', 'family'],
      },
    },
    tables,
  };
};

export const openWorld = async (drawn: Data, engine: (tables: Tables) => Engine = memory): Promise<Drawn> => {
  const { world, tables } = worldOf(drawn);
  const where = Object.keys(drawn.fixed).length > 0 ? { where: drawn.fixed } : {};
  return {
    world,
    model: world.model,
    book: await open(world.model, engine(tables), { ...where, clock: () => Date.parse('2025-07-01T12:00:00Z') }),
  };
};

/** What may be asked on any role of sales. */
const OF_SALES = [
  ...'revenue in-eur stepped lines orders mean least most web weekend median-line slow-orders slow-working'.split(' '),
  ...'new-orders new-weekend lead-time working-lead per-order attainment'.split(' '),
];
const MEASURES = [
  ...OF_SALES,
  ...'backlog budget budget-fine posts stock-last stock-first stock-average stock-min stock-max'.split(' '),
  ...'stock-last-known'.split(' '),
];
const SALES = new Set(OF_SALES);
const WINDOWS = [
  ...'mtd qtd ytd wtd week-ytd fiscal-mtd fiscal-ytd retail-mtd retail-ytd so-far rolling-28-days'.split(' '),
  ...'rolling-3-months last-complete-month last-complete-week last-complete-retail-quarter qtd-complete'.split(' '),
  ...'to-date last-14-days full-quarter season-to-date last-complete-season'.split(' '),
];
const UNITS = [
  ...'day week month quarter half year week-year fiscal-month fiscal-quarter retail-week retail-month'.split(' '),
  ...'season'.split(' '),
];

/** Points, windows and shifts as the grammar has them (W1, W2, C2 to C4). */
const duration = fc
  .tuple(fc.integer({ min: 1, max: 3 }), fc.constantFrom('Y', 'M', 'M', 'W', 'D', 'D'))
  .chain(([count, part]) => (part === 'D' ? fc.integer({ min: 1, max: 40 }).map((days) => `P${days}D`) : fc.constant(`P${count}${part}`)));
const point = fc
  .tuple(
    fc.oneof(
      { weight: 3, arbitrary: fc.constant('anchor') },
      { weight: 1, arbitrary: fc.constantFrom('asof', 'first', 'last', 'start(period)', 'end(period)') },
      {
        weight: 4,
        arbitrary: fc
          .tuple(fc.constantFrom('start', 'end', 'done', 'since'), fc.constantFrom(...UNITS))
          .map(([kind, unit]) => `${kind}(${unit})`),
      },
      {
        weight: 2,
        arbitrary: fc
          .tuple(fc.constantFrom('start', 'end'), fc.integer({ min: -3, max: 2 }), fc.constantFrom(...UNITS))
          .map(([kind, count, unit]) => `${kind}(${count < 0 ? '' : '+'}${count} ${unit})`),
      },
      { weight: 1, arbitrary: day.map(iso) },
    ),
    fc.array(fc.tuple(fc.constantFrom('+', '-', '-'), duration), { maxLength: 2 }),
  )
  .map(([base, moves]) => `${base}${moves.map(([sign, length]) => `${sign}${length}`).join('')}`);
const drawnWindow = fc.oneof(
  fc.tuple(point, point).map(([from, to]) => `[${from}/${to}]`),
  fc.tuple(duration, point).map(([length, to]) => `[${length}/${to}]`),
  fc.tuple(point, duration).map(([from, length]) => `[${from}/${length}]`),
);
const window = fc.oneof({ weight: 3, arbitrary: fc.constantFrom(...WINDOWS) }, { weight: 3, arbitrary: drawnWindow });

const COMPARISONS = ['previous', 'year-earlier', 'same-weekdays', 'january', 'whole-month-before'];
const drawnShift = fc.oneof(
  duration.map((length) => `[-${length}]`),
  duration.map((length) => `[+${length}]`),
  fc
    .tuple(fc.constantFrom(-1, -1, -2, 1), fc.constantFrom(...UNITS))
    .map(([count, unit]) => `[${count < 0 ? '-' : '+'}${Math.abs(count)} ${unit}]`),
);
/** As it stood on another day, moved or not (C11). */
const drawnSeen = fc
  .tuple(
    fc.oneof(
      fc.constant(''),
      fc.constant(''),
      drawnShift.map((text) => `${text.slice(1, -1)} `),
    ),
    fc.oneof(
      duration.map((length) => `-${length}`),
      day.map(iso),
    ),
  )
  .map(([shift, seen]) => `[${shift}as-of ${seen}]`);
const comparison = fc.oneof(
  { weight: 6, arbitrary: fc.constantFrom(...COMPARISONS) },
  { weight: 4, arbitrary: drawnShift },
  { weight: 2, arbitrary: drawnSeen },
  { weight: 1, arbitrary: fc.constantFrom('[2024-06]', '[2025-01 as-of -P2M]') },
);
/** Earlier revisions, of what has some (G7, C11). */
const revised = fc
  .tuple(
    fc.constantFrom('budget', 'budget-fine', 'attainment'),
    fc.constantFrom('', '-P1Y ', 'as-of -P1M '),
    fc.oneof(
      duration.map((length) => `-${length}`),
      day.map(iso),
    ),
    fc.constantFrom('', ' as difference', ' as ratio'),
  )
  .map(([measure, shift, known, form]) => `${measure} vs [${shift}known-by ${known}]${form}`);
const FORMS = ['', ' as difference', ' as change', ' as ratio', ' as index', ' as value'];

const leaf: fc.Arbitrary<string> = fc
  .record({
    measure: fc.oneof({ weight: 5, arbitrary: fc.constantFrom(...MEASURES) }, { weight: 1, arbitrary: fc.constant('budget-fine') }),
    role: fc.option(key('ordered', 'shipped', 'promised'), { nil: undefined, freq: 2 }),
    window: fc.option(window, { nil: undefined }),
    across: fc.option(key('all', 'time', 'region', '(region, family)', 'weekday'), { nil: undefined, freq: 6 }),
  })
  .map(({ measure, role, window, across }) => {
    const own = measure === 'attainment' ? undefined : window;
    return `${measure}${role && SALES.has(measure) ? ` on ${role}` : ''}${own ? ` over ${own}` : ''}${across ? ` across ${across}` : ''}`;
  });
const compared: fc.Arbitrary<string> = fc
  .record({ leaf, comparison, form: fc.constantFrom(...FORMS) })
  .map(({ leaf: text, comparison: other, form }) => `${text} vs ${other}${form}`);
export const reading: fc.Arbitrary<string> = fc.oneof(
  { weight: 3, arbitrary: leaf },
  { weight: 4, arbitrary: compared },
  {
    weight: 2,
    arbitrary: fc.tuple(leaf, fc.constantFrom('+', '-', '*', '/'), compared).map(([a, operator, b]) => `(${a}) ${operator} (${b})`),
  },
  { weight: 1, arbitrary: revised },
  { weight: 1, arbitrary: fc.tuple(compared, comparison).map(([a, other]) => `(${a}) vs ${other}`) },
  {
    weight: 1,
    // Digits enough that a tie in doubles is no difference.
    arbitrary: fc.tuple(leaf, leaf).map(([a, b]) => `coalesce(${a}, round(${b}, 7))`),
  },
);

const OF_DAYS = ['weekday', 'working-day', 'year', 'season'];
/** Attributes of days and of rows together: `rest` cannot combine them. */
const isMixed = (per: readonly string[]): boolean => {
  const ofDays = per.filter((name) => OF_DAYS.includes(name) || name.includes('-of-')).length;
  return ofDays > 0 && ofDays < per.length;
};

export const question: fc.Arbitrary<Question> = fc
  .record({
    show: fc.uniqueArray(reading, { minLength: 1, maxLength: 3 }),
    by: fc.oneof(
      {
        weight: 6,
        arbitrary: fc.constantFrom(
          ...'day week month quarter half year fiscal-month fiscal-quarter fiscal-year week-year retail-week'.split(' '),
          ...'retail-month retail-quarter retail-year season'.split(' '),
        ),
      },
      {
        weight: 1,
        arbitrary: fc.uniqueArray(
          fc.constantFrom('mtd', 'wtd', 'ytd', 'rolling-28-days', 'last-complete-month', 'last-14-days', 'fiscal-ytd'),
          { minLength: 1, maxLength: 3 },
        ),
      },
      { weight: 1, arbitrary: fc.constant(undefined) },
    ),
    per: fc.constantFrom(
      undefined,
      ['region'],
      ['country'],
      ['family'],
      ['region', 'family'],
      ['channel'],
      ['product'],
      ['product'],
      ['family', 'product'],
      ['product', 'region'],
      ['size'],
      ['region', 'size'],
      ['segment'],
      ['shipped-customer.segment', 'region'],
      ['present-customer.segment'],
      ['weekday'],
      ['working-day'],
      ['region', 'weekday'],
      ['month-of-year'],
      ['year', 'month-of-quarter'],
      ['week-of-week-year'],
      ['season', 'family'],
      ['fiscal-month-of-fiscal-year'],
    ),
    start: day,
    length: fc.integer({ min: 0, max: 400 }),
    style: fc.constantFrom('dates', 'months', 'year', 'quarters', 'weeks'),
    asOf: fc.oneof(fc.constant('latest'), day.map(iso), fc.constantFrom('2024-02-29', '2025-02-28', '2025-05-31')),
    where: fc.constantFrom<Question['where'][]>(
      undefined,
      undefined,
      { region: ['North', 'Alps'] },
      { family: 'Herbs' },
      { channel: 'web' },
      { product: ['Basil', 'Maple'] },
      { size: 'large' },
      { segment: 'regular' },
      { 'present-customer.segment': ['loyal', 'new'] },
      { weekday: ['Fri', 'Sat'] },
      { 'working-day': 'yes', region: ['North', 'South'] },
      { 'month-of-year': ['Jan', 'May', 'Dec'] },
      { year: '2025' },
      { season: ['Spring 24', 'Autumn 24', 'Autumn 25'], channel: 'web' },
    ),
    knownBy: fc.option(
      fc.integer({ min: 0, max: 30 }).map((k) => iso(FIRST + k * 20 + 5)),
      { nil: undefined, freq: 3 },
    ),
    totals: fc.constantFrom(undefined, true, ['axis' as const], ['members' as const]),
    order: fc.option(
      fc.tuple(leaf, fc.constantFrom('', ' desc')).map(([text, direction]) => `${text}${direction}`),
      { nil: undefined, freq: 2 },
    ),
    limit: fc.option(fc.integer({ min: 1, max: 2 }), { nil: undefined, freq: 2 }),
    rest: fc.boolean(),
    keep: fc.option(fc.tuple(leaf, fc.constantFrom('>', '<=', '!='), fc.constantFrom('0', '3', '120.5')), { nil: undefined, freq: 4 }),
    within: fc.boolean(),
  })
  .map(({ show, by, per, start, length, style, asOf, where, totals, knownBy, order, limit, rest, keep, within }) => {
    const end = start + (by === 'day' ? length % 40 : length);
    const ends = [iso(start), iso(end)];
    const quarter = (text: string) => `${text.slice(0, 4)}-Q${Math.ceil(Number(text.slice(5, 7)) / 3)}`;
    const week = (d: number) => {
      const thursday = d - ((((d + 3) % 7) + 7) % 7) + 3;
      const year = Number(iso(thursday).slice(0, 4));
      return `${year}-W${String(Math.floor((thursday - fromIso(`${year}-01-01`)) / 7) + 1).padStart(2, '0')}`;
    };
    const range =
      style === 'months'
        ? ends.map((text) => text.slice(0, 7)).join('/')
        : style === 'year'
          ? ends[0].slice(0, 4)
          : style === 'quarters'
            ? ends.map(quarter).join('/')
            : style === 'weeks'
              ? [week(start), week(end)].join('/')
              : ends.join('/');
    const question: Question = {
      // Windows overlap: nothing is across them.
      show: Array.isArray(by) ? [...new Set(show.map((text) => text.replaceAll(' across time', '')))] : show,
      by,
      per,
      range,
      asOf,
      where,
      knownBy,
      ...(per === undefined || Array.isArray(by) ? {} : { order: order === undefined ? undefined : [order] }),
      ...(per === undefined || Array.isArray(by) || keep === undefined ? {} : { keep: [keep.join(' ')] }),
      ...(per === undefined ? {} : { limit, rest: limit === undefined || isMixed(per) ? undefined : rest }),
      ...(per !== undefined && per.length > 1 && limit !== undefined && within ? { within: per[0] } : {}),
      totals: Array.isArray(by) && totals !== undefined ? ['members'] : totals,
    };
    return Object.fromEntries(Object.entries(question).filter(([, value]) => value !== undefined)) as Question;
  });
