import { type Book, DurchblickError, describe, open, type Question, type Result } from 'durchblick';
import { chartSpec, renderSvg } from 'durchblick/chart';
import { memory, urlFiles } from 'durchblick/memory';
import { parseModel } from 'durchblick/yaml';
import { followPage, themeNow, widthIn } from '../../page.ts';

const form = document.querySelector('#choices') as HTMLFormElement;
const caption = document.querySelector('#caption') as HTMLElement;
const chart = document.querySelector('#chart') as HTMLElement;
const answer = document.querySelector('#answer') as HTMLElement;
const notes = document.querySelector('#notes') as HTMLElement;

const PLAIN = 'the period itself';
const UNITS = ['day', 'week', 'month', 'quarter', 'fiscal-quarter'];
const RANGES = ['last-14-days', 'mtd', 'qtd', 'ytd', 'rolling-3-months', 'rolling-12-months'];

const field = (name: string): HTMLSelectElement | HTMLInputElement => form.elements.namedItem(name) as HTMLSelectElement;

const fill = (name: string, values: readonly string[], chosen: string): void => {
  field(name).replaceChildren(...values.map((value) => new Option(value, value, false, value === chosen)));
};

/** Ways to find the year before, in words, with the comparison that takes them. */
const BEFORE = { 'same weekday': '[-P52W]', 'same week': 'year-earlier', 'same date': 'year-earlier' } as const;
type Before = keyof typeof BEFORE;

/** Which of them a unit has, the usual one first: days and weeks keep their weekdays, months and more their dates. */
const beforeOf = (unit: string): readonly Before[] =>
  unit === 'day' ? ['same weekday', 'same date'] : unit === 'week' ? ['same week', 'same weekday'] : ['same date', 'same weekday'];

/** The reading that the form describes, and the question around it. */
const questionOf = (): Question => {
  const [measure, role, window] = ['measure', 'role', 'window'].map((name) => field(name).value);
  const reading = `${measure} on ${role}${window === PLAIN ? '' : ` over ${window}`}`;
  const comparison = BEFORE[field('before').value as Before];
  return {
    show: [
      { is: reading, label: 'this year' },
      { is: `${reading} vs ${comparison}`, label: 'year before' },
      { is: `${reading} vs ${comparison} as change`, label: 'change' },
    ],
    by: field('unit').value,
    range: field('range').value,
    asOf: field('asOf').value || 'latest',
  };
};

const cell = (tag: 'td' | 'th', text: string): HTMLElement => {
  const element = document.createElement(tag);
  element.textContent = text;
  return element;
};

const tableOf = (result: Result): HTMLElement => {
  const { header, rows } = result.toTable();
  const table = document.createElement('table');
  const head = table.createTHead().insertRow();
  head.append(...header.map((text) => cell('th', text)));
  const body = table.createTBody();
  rows.forEach(({ cells }, r) => {
    const row = body.insertRow();
    row.append(...cells.map((text) => cell('td', text)));
    const period = result.periods[r];
    const days = result.compared['year before']?.[r];
    row.title = `${period.start} to ${period.end}${days ? `, against ${days.start} to ${days.end}` : ''}`;
    if (period.partial) row.className = 'partial';
  });
  return table;
};

let latest = 0;

/** Asks and shows; an answer that was overtaken by a newer question is dropped. */
const update = async (book: Book): Promise<void> => {
  const turn = ++latest;
  try {
    const result = await book.ask(questionOf());
    const drawing = {
      readings: ['this year', 'year before'],
      width: widthIn(chart),
      height: 430,
      title: 'none',
      theme: themeNow(),
    } as const;
    const picture = await renderSvg(chartSpec(result, drawing));
    if (turn !== latest) return;
    caption.className = '';
    caption.textContent = `${field('measure').value}: ${result.caption} (${field('before').value}), as of ${result.asOf}`;
    chart.innerHTML = picture;
    answer.replaceChildren(tableOf(result));
    notes.replaceChildren(
      ...result.notes.map(({ message }) => {
        const item = document.createElement('li');
        item.textContent = message;
        return item;
      }),
    );
  } catch (error) {
    if (turn !== latest) return;
    if (!(error instanceof DurchblickError)) throw error;
    caption.className = 'error';
    caption.textContent = describe(error);
    chart.replaceChildren();
    answer.replaceChildren();
    notes.replaceChildren();
  }
};

const start = async (): Promise<void> => {
  const text = await (await fetch('./model.yaml')).text();
  const model = parseModel(text, 'model.yaml');
  const book = await open(model, memory({}, { files: urlFiles(document.baseURI) }));
  const fact = model.facts.get('order-lines');
  const measures = [...model.measures.values()].filter((measure) => measure.fact === fact && !measure.open);
  fill(
    'measure',
    measures.map(({ name }) => name),
    'revenue',
  );
  fill('role', [...(fact?.roles.keys() ?? [])], 'ordered');
  fill('unit', UNITS, 'day');
  fill('range', RANGES, 'last-14-days');
  fill('before', beforeOf('day'), 'same weekday');
  fill('window', [PLAIN, ...model.windows.keys()], PLAIN);
  const { asOf } = await book.ask({ show: ['revenue'] });
  field('asOf').value = asOf;
  form.addEventListener('change', ({ target }) => {
    const unit = field('unit').value;
    if (target === field('unit')) fill('before', beforeOf(unit), beforeOf(unit)[0]);
    void update(book);
  });
  followPage(chart, () => void update(book));
  form.addEventListener('submit', (event) => event.preventDefault());
  await update(book);
};

start().catch((error: unknown) => {
  caption.className = 'error';
  caption.textContent = error instanceof DurchblickError ? describe(error) : String(error);
});
