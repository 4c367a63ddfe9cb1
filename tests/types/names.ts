/**
 * Names in question literals are checked by the compiler. This file is compiled, never run: an expected error that does
 * not come is an error itself (see compiler.test.ts).
 */

import type * as z from 'zod/mini';
import { memory } from '../../src/engines/memory/index.ts';
import { type Book, defineModel, open, type Question, reading, readingsOf } from '../../src/index.ts';
import type { questionSchema, Unchanging } from '../../src/model/schema.ts';

const model = defineModel({
  calendar: {
    yearSystems: {
      fiscal: { starts: '--07-01', label: 'FY{year}' },
      retail: { pattern: '4-4-5', ends: 'saturday nearest june 30', label: 'R{year}' },
      board: { years: { FY24: '2023-07-03', FY25: { starts: '2024-07-01', ends: '2025-06-29' } } },
    },
    periods: { season: { rows: { 'Spring 26': { starts: '2026-02-20', ends: '2026-05-31' } } } },
  },
  dimensions: {
    product: { source: 'products', key: 'id', attributes: { product: 'name', family: 'family' } },
    region: { source: 'regions', key: 'id', attributes: { region: 'name', country: { column: 'country' } } },
    channel: {},
  },
  facts: {
    'order-lines': {
      source: 'lines',
      dates: { ordered: 'ordered_on', shipped: 'shipped_on' },
      links: { product: 'product', channel: 'channel', 'ship-region': { dimension: 'region', column: 'ship_region' } },
      bands: { 'order-size': { of: 'amount', starts: { small: 0, large: 500 } } },
      measures: { revenue: { sum: 'amount', role: 'ordered' }, orders: { countDistinct: 'order', role: 'ordered' } },
    },
    budget: {
      source: 'budget',
      grain: 'month',
      dates: { planned: 'month' },
      links: { 'product.family': 'family' },
      measures: { budget: { sum: 'amount' } },
    },
  },
  formulas: { attainment: { is: 'revenue / budget' }, 'average-order': 'revenue / orders' },
  windows: { 'last-14-days': 'P14D/anchor', 'Two weeks': 'P14D/anchor' },
  comparisons: { 'same-weekdays': { shift: '-P52W' } },
  questions: { monthly: { show: ['revenue', 'attainment'], by: 'month', per: ['family'], description: 'For the meeting.' } },
});
const book = await open(model, memory({}), { where: { channel: 'web' } });

// Known names, in every place.
const result = await book.ask({
  show: [
    'revenue',
    'attainment',
    'revenue on shipped over mtd vs year-earlier as change',
    '(revenue over fiscal-ytd) / (orders over "Two weeks") * 100',
    'revenue/(revenue across all)',
    'revenue across (ship-region.country, family) - -revenue',
    'round(revenue over [P10D/anchor-P1D] vs [-1 fiscal-year] as ratio, 2)',
    'coalesce(revenue over retail-qtd-complete, revenue over board-ytd, days over season-to-date)',
    { is: 'budget over last-complete-retail-month vs same-weekdays', label: 'Budget' },
  ],
  by: 'retail-week',
  per: ['family', 'ship-region.country', 'order-size'],
  where: { channel: ['web'], country: { not: 'Austria' } },
  order: ['Budget desc', 'revenue over ytd'],
});
for (const row of result) {
  const period: string = row.period;
  const family: string = row.family;
  const amount: number | null = row.revenue;
  const budget: number | null = row.Budget;
  // @ts-expect-error no such column
  row.revenues;
  void [period, family, amount, budget];
}
await book.ask({ show: ['revenue'], by: ['mtd', '[P10D/anchor]', 'fiscal-htd'] });
await book.ask({ show: ['revenue'], by: 'seasons', range: '2026-Q1' });

// Calendar attributes, and how things stood.
await book.ask({
  show: ['revenue / (revenue across time)', 'revenue across weekday', 'revenue across month-of-year', 'revenue vs [-P1Y as-of -P1Y]'],
  per: ['weekday', 'week-of-week-year', 'calendar.season', 'retail-month-of-retail-year'],
  where: { 'working-day': 'yes', 'month-of-year': ['Jan'], 'calendar.weekday': 1 },
  range: 'last-3-complete-months',
});
// @ts-expect-error no such unit in a calendar attribute
await book.ask({ show: ['revenue'], per: ['month-of-jear'] });

// A question by its name, and those that are wrong in the model.
await book.ask('monthly');
await book.verify('monthly');
// @ts-expect-error no such question
await book.ask('monthlies');
const asked = { f: { source: 's', dates: { d: 'd' }, measures: { m: { sum: 'a' } } } } as const;
// @ts-expect-error measure in a named question
defineModel({ facts: asked, questions: { q: { show: ['n'] } } });
// @ts-expect-error attribute in a named question
defineModel({ facts: asked, questions: { q: { show: ['m'], per: ['regoin'] } } });
// @ts-expect-error key of a named question
defineModel({ facts: asked, questions: { q: { show: ['m'], ranges: '2026' } } });

// A model in parts: names are those of the whole.
const parts = defineModel([
  { facts: { f: { source: 's', dates: { d: 'd' }, links: { region: 'r' }, measures: { m: { sum: 'a' } } } } },
  { dimensions: { region: {} }, formulas: { double: 'm * 2' }, windows: { fortnight: 'P14D/anchor' } },
  { questions: { q: { show: ['double over fortnight'], per: ['region'] } } },
]);
const inParts = await open(parts, memory({}));
await inParts.ask({ show: ['double', 'm over fortnight'], per: ['region'] });
await inParts.ask('q');
// @ts-expect-error a measure that no part has
await inParts.ask({ show: ['n'] });
// @ts-expect-error a formula of one part over the measures of all
defineModel([{ facts: asked }, { formulas: { a: 'n * 2' } }]);
// @ts-expect-error a question in a part
defineModel([{ facts: asked }, { questions: { q: { show: ['m over fortnight'] } } }]);
// @ts-expect-error a key in a part
defineModel([{ facts: asked }, { formula: {} }]);

// Unknown ones, each told by the compiler.
// @ts-expect-error measure
await book.ask({ show: ['revenu'] });
// @ts-expect-error measure inside a formula
await book.ask({ show: ['revenue / order'] });
// @ts-expect-error measure in a parenthesis without blanks
await book.ask({ show: ['(revenu)/orders'] });
// @ts-expect-error role
await book.ask({ show: ['revenue on delivered'] });
// @ts-expect-error window
await book.ask({ show: ['revenue over mdt'] });
// @ts-expect-error window of a year system that does not have it: there are no retail halves
await book.ask({ show: ['revenue over retail-htd'] });
// @ts-expect-error comparison
await book.ask({ show: ['revenue vs last-year'] });
// @ts-expect-error form
await book.ask({ show: ['revenue vs previous as percent'] });
// @ts-expect-error attribute in across
await book.ask({ show: ['revenue across regoin'] });
// @ts-expect-error attribute in a list of across
await book.ask({ show: ['revenue across (family, regoin)'] });
// @ts-expect-error reading with a label
await book.ask({ show: [{ is: 'revenu', label: 'Revenue' }] });
// @ts-expect-error unit
await book.ask({ show: ['revenue'], by: 'monthly' });
// @ts-expect-error window in a list
await book.ask({ show: ['revenue'], by: ['mtd', 'mdt'] });
// @ts-expect-error attribute
await book.ask({ show: ['revenue'], per: ['regoin'] });
// @ts-expect-error attribute of a filter
await book.ask({ show: ['revenue'], where: { chanel: 'web' } });
// @ts-expect-error reading in order
await book.ask({ show: ['revenue'], order: ['revenu desc'] });
// @ts-expect-error attribute of fixed filters
await open(model, memory({}), { where: { chanel: 'web' } });

// Step by step.
const of = readingsOf(model);
const built = of('revenue').on('shipped').over('mtd').vs('year-earlier').as('change');
const text: 'revenue on shipped over mtd vs year-earlier as change' = built.is;
const answer = await book.ask({ show: [built, reading('orders').over('ytd')] });
void [text, answer];
// @ts-expect-error measure
of('revenu');
// @ts-expect-error window
of('revenue').over('mdt');
// @ts-expect-error a second window
of('revenue').over('mtd').over('ytd');
// @ts-expect-error a form without a comparison
of('revenue').as('change');

// One may stand alone where a list may stand.
await book.ask({ show: ['revenue'], per: ['family'], totals: 'members', order: 'revenue desc' });
// @ts-expect-error reading in a single order
await book.ask({ show: ['revenue'], order: 'revenu desc' });
// @ts-expect-error which totals
await book.ask({ show: ['revenue'], totals: 'member' });

// Columns with labels alone; conditions, groups of a limit, and addresses of cells.
const labelled = await book.ask({
  show: [
    { is: 'revenue', label: 'R' },
    { is: 'budget over ytd', label: 'B' },
  ],
  keep: ['R > 10', 'orders >= 2'],
});
for (const { R, B } of labelled) void [R satisfies number | null, B satisfies number | null];
await book.ask({
  show: ['revenue'],
  per: ['family', 'channel'],
  within: 'family',
  limit: 2,
  keep: 'revenue over ytd<=1',
  order: 'revenue',
});
await book.explain({ reading: 'revenue over mtd', at: '2026-05', members: { family: 'Herbs' }, rows: 3 });
// @ts-expect-error reading of a condition
await book.ask({ show: ['revenue'], keep: 'revenu > 10' });
// @ts-expect-error reading of one of several conditions
await book.ask({ show: ['revenue'], keep: ['revenue > 1', 'revenue over mdt != 2'] });
// @ts-expect-error attribute of a limit's groups
await book.ask({ show: ['revenue'], per: ['family', 'channel'], within: 'famly', limit: 2 });
// @ts-expect-error key of a question
await book.ask({ show: ['revenue'], rnage: '2026' });
// @ts-expect-error reading of an explanation
await book.explain({ reading: 'revenu', at: '2026-05' });
// @ts-expect-error member of an explanation
await book.explain({ reading: 'revenue', at: '2026-05', members: { famly: 'Herbs' } });
// @ts-expect-error reading of a figure
defineModel({ facts: asked, figures: [{ reading: 'n', at: '2026', is: 1 }] });
defineModel({ facts: asked, figures: [{ reading: 'm over ytd', at: '2026', is: 1 }] });

// Rows as a program types them.
interface Line {
  readonly day: string;
  readonly amount: number;
}
const lines: readonly Line[] = [{ day: '2026-08-15', amount: 5 }];
memory({ lines });

// What the documented types say is what is checked at run time.
type Same<A, B> = [A, B] extends [B, A] ? true : never;
const described: Same<Question, Unchanging<z.input<typeof questionSchema>>> = true;
void described;

// Names inside a model.
const facts = { f: { source: 's', dates: { d: 'd' }, measures: { m: { sum: 'a' } } } } as const;
defineModel({ facts, formulas: { twice: '2 * m', more: { is: 'twice over ytd' } }, alerts: { low: { reading: 'twice', below: 1 } } });
// @ts-expect-error measure in a formula
defineModel({ facts, formulas: { twice: '2 * n' } });
// @ts-expect-error window in a formula with a format
defineModel({ facts, formulas: { twice: { is: 'm over mdt' } } });
// @ts-expect-error reading of an alert
defineModel({ facts, alerts: { low: { reading: 'n', below: 1 } } });
// @ts-expect-error role of a measure
defineModel({ facts: { f: { source: 's', dates: { d: 'd' }, measures: { m: { sum: 'a', role: 'e' } } } } });
// @ts-expect-error roles between which days are counted
defineModel({ facts: { f: { source: 's', dates: { d: 'd' }, measures: { m: { daysBetween: 'd/e' } } } } });
// @ts-expect-error attribute of a measure's filter
defineModel({ facts: { f: { source: 's', dates: { d: 'd' }, measures: { m: { sum: 'a', where: { regoin: 'North' } } } } } });
// @ts-expect-error dimension of a link
defineModel({ dimensions: { region: {} }, facts: { f: { source: 's', dates: { d: 'd' }, links: { regoin: 'r' }, measures: {} } } });

// A misspelt key of the model.
// @ts-expect-error unknown key
defineModel({ facts: { f: { source: 's', dates: { d: 'd' }, mesures: {}, measures: {} } } });
// @ts-expect-error unknown way of spreading
defineModel({ facts: { f: { source: 's', dates: { d: 'd' }, measures: { m: { sum: 'a', spread: 'evenly' } } } } });

// Questions and models that are not literals pass, and are checked at run time.
declare const anyModel: Parameters<typeof open>[0];
declare const question: Question;
const anyBook: Book = await open(anyModel, memory({}));
const rows = await anyBook.ask(question);
for (const row of rows) void row.anything;
await anyBook.ask({ show: ['whatever on any over window'], by: 'unit', per: ['attribute'] });
const loose: Book = book;
await loose.ask(question);
