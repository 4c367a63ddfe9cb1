// The page of a report: its questions with what may be switched in them, answered by what it holds.
import '../../element/index.ts';
import { open } from '../../book/open.ts';
import type { Book, Result } from '../../book/types.ts';
import { CELL_EVENT, type CellDetail, type DurchblickAnswer } from '../../element/index.ts';
import { DurchblickError } from '../../errors.ts';
import { attributeOf } from '../../model/attributes.ts';
import type { Question } from '../../model/schema.ts';
import { defineParts } from '../../plan/define.ts';
import { explanationText } from '../../result/explained.ts';
import { labelsOf } from '../../result/labels.ts';
import { type Choices, chosen } from '../choices.ts';
import type { ReportData, ReportQuestion } from '../data.ts';
import { reportEngine } from '../store.ts';
import { type PageWords, pageWords } from './words.ts';

type Content = readonly (Node | string)[];
const element = <K extends keyof HTMLElementTagNameMap>(
  name: K,
  attributes: Readonly<Record<string, string>> = {},
  ...content: Content
): HTMLElementTagNameMap[K] => {
  const made = document.createElement(name);
  for (const [key, value] of Object.entries(attributes)) made.setAttribute(key, value);
  made.append(...content);
  return made;
};

/** What is switched for the whole report, and in each question. */
interface Page {
  readonly data: ReportData;
  readonly book: Book;
  locale: string;
  readonly choices: Map<string, Choices>;
}

interface Option {
  readonly value: string;
  readonly text: string;
}

const select = (
  label: string,
  own: string,
  options: readonly Option[],
  value: string | undefined,
  change: (value: string | undefined) => void,
): HTMLElement => {
  const list = element(
    'select',
    { 'aria-label': label },
    ...[{ value: '', text: own }, ...options].map((option) => element('option', { value: option.value }, option.text)),
  );
  list.value = value ?? '';
  list.addEventListener('change', () => change(list.value === '' ? undefined : list.value));
  return element('label', {}, element('span', {}, label), list);
};

const asOfControl = (
  { offers }: ReportQuestion,
  words: PageWords,
  value: string | undefined,
  change: (value: string | undefined) => void,
): HTMLElement => {
  const { asOf } = offers;
  if (!('first' in asOf))
    return select(
      words.asOf,
      words.asAsked,
      asOf.map((day) => ({ value: day, text: day })),
      value,
      change,
    );
  const input = element('input', { 'aria-label': words.asOf, type: 'date', min: asOf.first, max: asOf.last });
  input.value = value ?? asOf.last;
  input.addEventListener('change', () =>
    change(input.value === '' || input.value === asOf.last || !input.validity.valid ? undefined : input.value),
  );
  return element('label', {}, element('span', {}, words.asOf), input);
};

/** Members to choose from: none chosen is all. */
const membersControl = (
  title: string,
  members: readonly string[],
  words: PageWords,
  value: readonly string[],
  change: (value: readonly string[]) => void,
): HTMLElement => {
  const boxes = members.map((member) => {
    const box = element('input', { type: 'checkbox' });
    box.checked = value.includes(member);
    box.addEventListener('change', () => change(members.filter((_, k) => boxes[k].box.checked)));
    return { box, line: element('label', { class: 'member' }, box, member) };
  });
  const said = value.length === 0 ? words.all : value.length <= 2 ? value.join(', ') : String(value.length);
  return element(
    'details',
    { class: 'members' },
    element('summary', {}, element('span', {}, title), element('b', {}, said)),
    element('div', { class: 'list' }, ...boxes.map(({ line }) => line)),
  );
};

const controlsOf = (page: Page, one: ReportQuestion, again: (choices: Choices) => void): HTMLElement => {
  const { offers, question } = one;
  const own = page.choices.get(one.name) ?? {};
  const words = pageWords(page.locale);
  const labels = labelsOf(page.book.model, page.locale);
  const list = (names: readonly string[], text: (name: string) => string): Option[] => names.map((value) => ({ value, text: text(value) }));
  const { model } = page.book;
  const windowText = (name: string): string => {
    const window = model.windows.get(name);
    return window ? labels.window(window).text : name;
  };
  const comparisonText = (name: string): string => {
    const comparison = model.comparisons.get(name);
    return comparison ? labels.comparison(comparison).text : name;
  };
  const change = (key: 'by' | 'over' | 'vs' | 'asOf') => (value: string | undefined) => again({ ...own, [key]: value });
  return element(
    'div',
    { class: 'controls' },
    select(
      words.unit,
      words.asAsked,
      list(offers.units, (name) => labels.words.attribute(name) ?? name.replaceAll('-', ' ')),
      own.by,
      change('by'),
    ),
    ...(offers.windows.length > 0 ? [select(words.window, words.asAsked, list(offers.windows, windowText), own.over, change('over'))] : []),
    ...(offers.comparisons.length > 0
      ? [select(words.comparison, words.asAsked, list(offers.comparisons, comparisonText), own.vs, change('vs'))]
      : []),
    asOfControl(one, words, own.asOf, change('asOf')),
    ...Object.entries(offers.filters)
      .filter(([name]) => question.where?.[name] === undefined)
      .map(([name, members]) =>
        membersControl(labels.attribute(name, attributeOf(model, name)).text, members, words, own.where?.[name] ?? [], (value) => {
          const { [name]: _, ...others } = own.where ?? {};
          again({ ...own, where: value.length === 0 ? others : { ...others, [name]: value } });
        }),
      ),
  );
};

const faultText = (error: unknown): string =>
  error instanceof DurchblickError ? `${error.message}${error.hint ? ` ${error.hint}` : ''}` : (error as Error).message;

/** The cell of a row as `explain` and a question take it. */
const cellOf = (asked: Question, result: Result, { column, row, cells }: CellDetail) => {
  const attributes = asked.per ?? [];
  const texts = row === undefined ? cells : result.rows[row].map(String);
  const members = Object.fromEntries(
    attributes.flatMap((name, k) =>
      row === undefined && texts[1 + k] === cells[1 + k] && result.rows.every((other) => other[1 + k] !== texts[1 + k])
        ? []
        : [[name, texts[1 + k]]],
    ),
  );
  const period = result.periods.find(({ label }) => label === texts[0]);
  const all = { start: result.periods[0]?.start, end: result.periods[result.periods.length - 1]?.end };
  return { reading: result.columns[column].expression as string, members, period, days: period ?? all };
};

/** Why a number is what it is, in words and down to its days. */
const why = async (page: Page, asked: Question, result: Result, detail: CellDetail, dialog: HTMLDialogElement): Promise<void> => {
  const words = pageWords(page.locale);
  const { reading, members, period, days } = cellOf(asked, result, detail);
  const { asOf, knownBy, where, by } = asked;
  const text = element('pre');
  const daily = element('durchblick-answer', { show: 'table' }) as DurchblickAnswer;
  const close = element('button', { type: 'button', class: 'close' }, words.close);
  close.addEventListener('click', () => dialog.close());
  dialog.replaceChildren(close, text, element('h3', {}, words.byDay), daily);
  dialog.showModal();
  const filters = { ...where, ...Object.fromEntries(Object.entries(members).filter(([name]) => where?.[name] === undefined)) };
  await page.book
    .explain({
      reading,
      at: period?.label ?? `${days.start}/${days.end}`,
      members,
      ...(typeof by === 'string' && period ? { by } : {}),
      asOf,
      knownBy,
      where,
      rows: 0,
      locale: page.locale,
    })
    .then(
      (found) => text.replaceChildren(explanationText(found, page.locale)),
      (error: unknown) => text.replaceChildren(faultText(error)),
    );
  await page.book
    .ask({
      show: [reading],
      by: 'day',
      range: `${days.start}/${days.end}`,
      where: filters,
      asOf,
      knownBy,
      gaps: 'hide',
      locale: page.locale,
    })
    .then(
      (found) => {
        daily.result = found;
      },
      (error: unknown) => daily.replaceWith(element('p', {}, faultText(error))),
    );
};

/** One question: what may be switched, and its answer. */
const sectionOf = (page: Page, one: ReportQuestion, dialog: HTMLDialogElement): HTMLElement => {
  const labels = labelsOf(page.book.model, page.locale);
  const named = page.book.model.questions.get(one.name);
  const description = labels.text(named?.description);
  const answer = element('durchblick-answer') as DurchblickAnswer;
  const fault = element('p', { class: 'fault', role: 'alert' });
  const controls = element('div');
  const section = element(
    'section',
    { id: one.name },
    element('h2', {}, labels.text(named?.label) ?? one.name.replaceAll('-', ' ')),
    ...(description ? [element('p', { class: 'about' }, description)] : []),
    controls,
    fault,
    answer,
  );
  let [asked, result, number]: [Question, Result | undefined, number] = [one.question, undefined, 0];
  const show = async (choices: Choices): Promise<void> => {
    page.choices.set(one.name, choices);
    const opened = [...controls.querySelectorAll('details')].map(({ open: isOpen }) => isOpen);
    controls.replaceChildren(controlsOf(page, one, (next) => void show(next)));
    controls.querySelectorAll('details').forEach((details, k) => {
      details.open = opened[k] ?? false;
    });
    number++;
    const own = number;
    const next = chosen(one.question, { ...choices, locale: page.locale });
    try {
      const found = await page.book.ask(next);
      if (own !== number) return;
      [asked, result] = [next, found];
      answer.result = found;
      fault.replaceChildren();
    } catch (error) {
      // The numbers that stood there are of another question.
      answer.result = undefined;
      fault.replaceChildren(faultText(error));
    }
    section.dataset.shown = String(number);
  };
  answer.addEventListener(CELL_EVENT, (event) => {
    if (result) void why(page, asked, result, (event as CustomEvent<CellDetail>).detail, dialog);
  });
  void show(page.choices.get(one.name) ?? {});
  return section;
};

const stateText = ({ made, state }: ReportData, locale: string, words: PageWords): string => {
  const time = (text: string): string =>
    new Intl.DateTimeFormat(locale, { dateStyle: 'long', timeStyle: 'short' }).format(Date.parse(text));
  return words.made(time(made), state.time === undefined ? undefined : time(state.time), state.data ?? state.model);
};

const draw = (page: Page, root: HTMLElement): void => {
  const words = pageWords(page.locale);
  document.documentElement.lang = page.locale;
  const dialog = element('dialog');
  const [own, ...others] = page.data.locales;
  const called = (locale: string): string => new Intl.DisplayNames([locale], { type: 'language' }).of(locale) ?? locale;
  const language = select(
    words.language,
    called(own),
    others.map((value) => ({ value, text: called(value) })),
    page.locale === own ? undefined : page.locale,
    (value) => {
      page.locale = value ?? own;
      draw(page, root);
    },
  );
  root.replaceChildren(
    element('header', {}, element('h1', {}, page.book.model.name), element('div', { class: 'controls' }, language)),
    ...page.data.questions.map((one) => sectionOf(page, one, dialog)),
    element('footer', {}, stateText(page.data, page.locale, words)),
    dialog,
  );
};

/** Opens what a report holds and shows it. */
export const showReport = async (data: ReportData, root: HTMLElement): Promise<void> => {
  const model = defineParts([{ written: data.model, locate: () => undefined }]);
  const book = await open(model, reportEngine(data), { clock: () => data.now });
  draw({ data, book, locale: data.locales[0], choices: new Map() }, root);
};

declare global {
  var durchblickReport: typeof showReport;
}
globalThis.durchblickReport = showReport;
