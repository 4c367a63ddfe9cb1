import { DurchblickError, describe, isoOf, open } from 'durchblick';
import { chartSpec, renderSvg, type ThemeName } from 'durchblick/chart';
import { memory, urlFiles } from 'durchblick/memory';
import { parseModel } from 'durchblick/yaml';
import { followPage, themeNow, widthIn } from '../../page.ts';
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

interface Look {
  readonly width: number;
  readonly theme: ThemeName;
}
const COLOURS = {
  light: { revenue: '#14532d', budget: '#5d6a62', behind: '#b3261e', ahead: '#1b6e3c', ink: '#26332b', grid: '#e6ebe8' },
  dark: { revenue: '#7fcf9b', budget: '#a4b3aa', behind: '#ff8a80', ahead: '#86d8a4', ink: '#e3ebe6', grid: '#2c3831' },
} as const;

/**
 * Revenue and budget day by day since the start of the year, and below by how much the one is ahead of the other: two lines
 * that nearly cover each other say less than their distance. After the as-of date the distance stays what it is, by plan.
 */
const cumulativeSpec = (days: readonly Point[], asOf: string, { width, theme }: Look): Record<string, unknown> => {
  const colours = COLOURS[theme];
  const today = days.findLast(({ day }) => day <= asOf);
  const now = today?.actual != null && today.budget !== null ? today.actual - today.budget : null;
  const lines = days.flatMap(({ day, actual, budget }) => [
    { day, line: 'budget', value: budget },
    { day, line: 'revenue', value: actual },
  ]);
  const distance = days.map(({ day, actual, budget }) => ({
    day,
    value: actual === null || budget === null ? now : actual - budget,
    kind: day <= asOf ? 'so far' : 'by plan',
  }));
  const x = { field: 'day', type: 'temporal', title: null, axis: { format: '%b', tickCount: 'month', grid: false } };
  const value = { labelExpr: "(datum.value < 0 ? '−' : '') + '€' + format(abs(datum.value), '.3~s')" };
  const line = (show: string, color: string, width: number, dash: readonly number[]) => ({
    transform: [{ filter: `datum.line == '${show}'` }],
    mark: { type: 'line', strokeWidth: width, color, strokeDash: dash },
  });
  const label = (show: string, color: string, dy: number) => ({
    transform: [{ filter: `datum.line == '${show}' && datum.value !== null` }],
    mark: { type: 'text', align: 'right', dx: -6, dy, color, fontWeight: 'bold', text: show },
    encoding: { x: { aggregate: { argmax: 'day' }, field: 'day', type: 'temporal' }, y: { aggregate: { argmax: 'day' }, field: 'value' } },
  });
  return {
    $schema: 'https://vega.github.io/schema/vega-lite/v6.json',
    background: 'transparent',
    padding: 6,
    spacing: 14,
    vconcat: [
      {
        width,
        height: 150,
        data: { values: lines },
        encoding: { x, y: { field: 'value', type: 'quantitative', title: null, axis: { ...value, tickCount: 4 } } },
        layer: [
          line('budget', colours.budget, 2, [5, 4]),
          line('revenue', colours.revenue, 3, []),
          label('budget', colours.budget, 16),
          label('revenue', colours.revenue, -8),
        ],
      },
      {
        width,
        height: 62,
        title: { text: 'revenue ahead of budget', anchor: 'start', fontSize: 11, fontWeight: 'normal', color: colours.budget },
        data: { values: distance },
        encoding: { x, y: { field: 'value', type: 'quantitative', title: null, axis: { ...value, tickCount: 3 } } },
        layer: [
          {
            transform: [
              { filter: "datum.kind == 'so far'" },
              { calculate: 'max(datum.value, 0)', as: 'up' },
              { calculate: 'min(datum.value, 0)', as: 'down' },
            ],
            layer: [
              { mark: { type: 'area', color: colours.ahead, opacity: 0.75 }, encoding: { y: { field: 'up', type: 'quantitative' } } },
              { mark: { type: 'area', color: colours.behind, opacity: 0.75 }, encoding: { y: { field: 'down', type: 'quantitative' } } },
            ],
          },
          {
            transform: [{ filter: "datum.kind == 'by plan'" }],
            mark: { type: 'line', strokeDash: [3, 3], strokeWidth: 2, color: (now ?? 0) < 0 ? colours.behind : colours.ahead },
          },
        ],
      },
    ],
    resolve: { scale: { x: 'shared' } },
    config: {
      font: 'DejaVu Sans, Verdana, sans-serif',
      view: { stroke: null },
      axis: { gridColor: colours.grid, labelColor: colours.ink, domainColor: colours.budget, tickColor: colours.budget, labelFontSize: 11 },
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
      renderSvg(chartSpec(review.months, { title: 'none', width: widthIn(element('months')), height: 250, theme: themeNow() })),
      renderSvg(cumulativeSpec(review.days, asOf, { width: widthIn(element('year')), theme: themeNow() })),
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
followPage(element('months'), () => void show());
element('print').addEventListener('click', () => window.print());
fromUrl();
await show();
