import { DurchblickError, describe, isoOf, open } from 'durchblick';
import { chartSpec, renderSvg } from 'durchblick/chart';
import { memory, urlFiles } from 'durchblick/memory';
import { parseModel } from 'durchblick/yaml';
import { type Line, type Point, reviewOf } from './review.ts';

const form = document.querySelector('#choices') as HTMLFormElement;
const element = (id: string): HTMLElement => document.querySelector(`#${id}`) as HTMLElement;
const field = (name: string): HTMLSelectElement => form.elements.namedItem(name) as HTMLSelectElement;
const make = (tag: string, text: string, name = ''): HTMLElement => {
  const made = document.createElement(tag);
  made.textContent = text;
  if (name !== '') made.className = name;
  return made;
};

const files = urlFiles(new URL('./', location.href));
const text = await (await fetch('./model.yaml')).text();
const book = await open(parseModel(text, 'model.yaml'), memory({}, { files }));
const { locale } = book.model;
const euros = new Intl.NumberFormat(locale, { style: 'currency', currency: 'EUR', maximumFractionDigits: 0 });
const percent = new Intl.NumberFormat(locale, { style: 'percent', minimumFractionDigits: 1, maximumFractionDigits: 1 });
const money = (value: number | null): string => (value === null ? '–' : euros.format(value));
const part = (value: number | null, of: number | null): string => (value === null || !of ? '–' : percent.format(value / of));
const monthShort = new Intl.DateTimeFormat(locale, { month: 'short', timeZone: 'UTC' });
const monthName = new Intl.DateTimeFormat(locale, { month: 'long', year: 'numeric', timeZone: 'UTC' });

/** Ends of the months with data, and the day of the last order. */
const asOfDays = async (): Promise<string[]> => {
  const bounds = await book.bounds('order-lines', 'ordered');
  const last = isoOf(await book.asOf());
  const days: string[] = [];
  for (
    let at = new Date(`${last.slice(0, 7)}-01T00:00Z`);
    bounds && at.getTime() > bounds.first * 86_400_000;
    at.setUTCMonth(at.getUTCMonth() - 1)
  )
    days.push(new Date(at.getTime() - 86_400_000).toISOString().slice(0, 10));
  return [last, ...days.slice(0, 24)];
};

const cumulativeSpec = (points: readonly Point[], budgetName: string): Record<string, unknown> => {
  const values = points.flatMap(({ month, actual, forecast, budget }) => [
    // What is drawn last lies on top.
    { month, line: budgetName, value: budget },
    { month, line: 'forecast by plan', value: forecast },
    { month, line: 'revenue', value: actual },
  ]);
  const domain = ['revenue', 'forecast by plan', budgetName];
  const names = Object.fromEntries(points.map(({ month }) => [month, monthShort.format(Date.parse(`${month}-01`))]));
  return {
    $schema: 'https://vega.github.io/schema/vega-lite/v6.json',
    background: 'transparent',
    padding: 6,
    width: 430,
    height: 230,
    data: { values },
    mark: { type: 'line', strokeWidth: 2.5, point: { size: 22 }, invalid: 'break-paths-show-domains' },
    encoding: {
      x: { field: 'month', type: 'ordinal', title: null, axis: { labelAngle: 0, labelExpr: `${JSON.stringify(names)}[datum.value]` } },
      y: { field: 'value', type: 'quantitative', title: null, axis: { labelExpr: `'€' + format(datum.value, '.3~s')`, tickCount: 5 } },
      color: {
        field: 'line',
        type: 'nominal',
        scale: { domain, range: ['#14532d', '#c2571a', '#1f2a24'] },
        legend: { title: null, orient: 'top', symbolType: 'stroke', symbolStrokeWidth: 3 },
      },
      strokeDash: {
        field: 'line',
        type: 'nominal',
        scale: {
          domain,
          range: [
            [1, 0],
            [5, 4],
            [1, 0],
          ],
        },
        legend: null,
      },
    },
    config: {
      font: 'DejaVu Sans, Verdana, sans-serif',
      view: { stroke: null },
      axis: { gridColor: '#e6ebe8', labelFontSize: 11 },
      legend: { labelFontSize: 12 },
    },
  };
};

const figure = (name: string, value: number | null, budget: number | null, budgetName: string): HTMLElement => {
  const made = make('div', '', 'figure');
  const behind = value !== null && budget !== null && value < budget;
  made.append(
    make('h2', name),
    make('p', money(value), 'value'),
    make('p', `${behind ? '▼' : '▲'} ${part(value, budget)} of ${money(budget)} ${budgetName}`, behind ? 'behind' : 'ahead'),
  );
  return made;
};

const HEADS = ['', 'month', 'budget', 'reached', 'year so far', 'budget', 'reached', 'forecast', 'budget of the year', 'difference'];

const tableRow = (line: Line, kind: 'member' | 'total'): HTMLTableRowElement => {
  const row = document.createElement('tr');
  row.className = kind;
  const head = make('th', line.name);
  head.setAttribute('scope', 'row');
  const difference = line.forecast === null || line.yearBudget === null ? null : line.forecast - line.yearBudget;
  const cells = [
    money(line.month),
    money(line.monthBudget),
    part(line.month, line.monthBudget),
    money(line.ytd),
    money(line.ytdBudget),
    part(line.ytd, line.ytdBudget),
    money(line.forecast),
    money(line.yearBudget),
    difference === null ? '–' : `${difference < 0 ? '▼' : '▲'} ${money(difference)}`,
  ];
  row.append(
    head,
    ...cells.map((cell, k) => make('td', cell, k === 8 && difference !== null ? (difference < 0 ? 'behind' : 'ahead') : '')),
  );
  return row;
};

const show = async (): Promise<void> => {
  const [asOf, per] = [field('asOf').value, field('per').value];
  try {
    const review = await reviewOf(book, asOf, per);
    const month = monthName.format(Date.parse(asOf));
    element('title').textContent = `Monthly review, ${month}`;
    element('caption').textContent = `${book.model.name}: ${review.months.caption}, as of ${asOf}`;
    const { whole } = review;
    element('figures').replaceChildren(
      figure(month, whole.month, whole.monthBudget, 'budgeted by then'),
      figure('The year so far', whole.ytd, whole.ytdBudget, 'budgeted by then'),
      figure('The year, by plan from here', whole.forecast, whole.yearBudget, 'budgeted'),
    );
    const [monthsSvg, yearSvg] = await Promise.all([
      renderSvg(chartSpec(review.months, { title: 'none', width: 430, height: 230 })),
      renderSvg(cumulativeSpec(review.points, 'budget')),
    ]);
    element('months').innerHTML = monthsSvg;
    element('year').innerHTML = yearSvg;
    const table = element('members') as HTMLTableElement;
    const head = document.createElement('thead');
    const heads = document.createElement('tr');
    heads.append(...HEADS.map((name, k) => Object.assign(make('th', k === 0 ? per : name), { scope: 'col' })));
    head.append(heads);
    const body = document.createElement('tbody');
    body.append(...review.lines.map((line) => tableRow(line, 'member')), tableRow(whole, 'total'));
    table.replaceChildren(head, body);
    element('notes').textContent = review.notes.join(' · ');
  } catch (error) {
    element('caption').textContent = error instanceof DurchblickError ? describe(error) : String(error);
  }
};

const days = await asOfDays();
field('asOf').append(...days.map((day) => new Option(day, day)));
field('per').append(...['region', 'family', 'country'].map((name) => new Option(name, name)));
form.addEventListener('change', () => {
  history.pushState(null, '', `?as-of=${field('asOf').value}&per=${field('per').value}`);
  void show();
});
const fromUrl = (): void => {
  const search = new URLSearchParams(location.search);
  const [asOf, per] = [search.get('as-of') ?? days[0], search.get('per') ?? 'region'];
  if (days.includes(asOf)) field('asOf').value = asOf;
  if (['region', 'family', 'country'].includes(per)) field('per').value = per;
};
window.addEventListener('popstate', () => {
  fromUrl();
  void show();
});
element('print').addEventListener('click', () => window.print());
fromUrl();
await show();
