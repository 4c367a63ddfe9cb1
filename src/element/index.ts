// An answer in a page of one's own: `<durchblick-answer>` shows its chart, its table and what must be known about it.
import { chartSpec, renderSvg } from '../chart/index.ts';
import type { Note } from '../plan/notes.ts';
import { withOutputs } from '../result/outputs.ts';
import type { Mark, PlainResult, ResultJson } from '../result/types.ts';

export type ShownPart = 'caption' | 'chart' | 'table' | 'notes';
const PARTS: readonly ShownPart[] = ['caption', 'chart', 'table', 'notes'];

/** Which cell somebody points at: a reading in a row of the table; rows of totals have no place in `rows`. */
export interface CellDetail {
  readonly column: number;
  readonly row: number | undefined;
  readonly cells: readonly string[];
}

/** Told when a reader chooses a cell; bubbles, and crosses shadow roots. */
export const CELL_EVENT = 'durchblick-cell';

const STYLE = `
:host { display: block; color: var(--durchblick-ink, #26332b); background: var(--durchblick-paper, #ffffff); font: 14px/1.45 "DejaVu Sans", Verdana, sans-serif; }
figure { margin: 0; }
figcaption { font-weight: 600; margin: 0 0 .6rem; }
.chart { overflow-x: auto; }
.chart svg { max-width: 100%; height: auto; display: block; }
.scroll { overflow-x: auto; margin-top: .8rem; }
table { border-collapse: collapse; font-variant-numeric: tabular-nums; }
th, td { padding: .25rem .7rem; text-align: left; white-space: nowrap; border-bottom: 1px solid var(--durchblick-line, #e6ebe8); }
thead th { vertical-align: bottom; white-space: normal; max-width: 14rem; border-bottom-color: currentColor; }
.reading { text-align: right; }
.total > * { font-weight: 600; border-top: 1px solid currentColor; }
td button { all: unset; cursor: pointer; border-radius: 2px; }
td button:hover { text-decoration: underline; }
td button:focus-visible { outline: 2px solid currentColor; outline-offset: 2px; }
.mark { display: inline-block; width: 1em; }
.bad { color: var(--durchblick-bad, #b3261e); }
.good { color: var(--durchblick-good, #1b6e3c); }
ul { margin: .8rem 0 0; padding-left: 1.2rem; color: var(--durchblick-quiet, #5f6b64); }
.fault { color: var(--durchblick-bad, #b3261e); }
@media print { td button { cursor: auto; } .scroll, .chart { overflow: visible; } }
`;

const element = <K extends keyof HTMLElementTagNameMap>(
  name: K,
  className = '',
  ...content: readonly (Node | string)[]
): HTMLElementTagNameMap[K] => {
  const made = document.createElement(name);
  if (className !== '') made.className = className;
  made.append(...content);
  return made;
};

const markOf = (mark: Mark | null | undefined): Node | string => {
  if (!mark) return '';
  const shown = element('span', `mark ${mark.verdict}`, mark.direction === 'low' ? '▼' : '▲');
  shown.title = mark.label;
  return shown;
};

/** The table; readings are buttons, so that a keyboard reaches them. */
const tableOf = (result: PlainResult, choose: (detail: CellDetail) => void): HTMLElement => {
  const { header, kinds, rows } = result.toTable('header');
  const places = new Map(
    result.rows.map((row, k) => [result.columns.map((_, c) => (kinds[c] === 'reading' ? '' : row[c])).join('\u0000'), k]),
  );
  const marked = header.map((_, c) => rows.some(({ marks }) => marks[c]));
  const head = element('tr');
  header.forEach((text, c) => {
    const cell = element('th', kinds[c] === 'reading' ? 'reading' : '', text);
    cell.scope = 'col';
    head.append(cell);
  });
  const body = element('tbody');
  for (const { kind, cells, marks } of rows) {
    const line = element('tr', kind === 'total' ? 'total' : '');
    const row = kind === 'total' ? undefined : places.get(cells.map((text, c) => (kinds[c] === 'reading' ? '' : text)).join('\u0000'));
    cells.forEach((text, column) => {
      if (kinds[column] !== 'reading') {
        const cell = element('th', '', text);
        cell.scope = 'row';
        line.append(cell);
        return;
      }
      const button = element('button', '', text === '' ? '\u2013' : text);
      button.type = 'button';
      button.addEventListener('click', () => choose({ column, row, cells }));
      line.append(element('td', 'reading', button, ...(marked[column] ? [element('span', 'mark', markOf(marks[column]))] : [])));
    });
    body.append(line);
  }
  return element('div', 'scroll', element('table', '', element('thead', '', head), body));
};

const notesOf = (notes: readonly Note[]): readonly Node[] =>
  notes.length === 0 ? [] : [element('ul', 'notes', ...notes.map(({ message }) => element('li', '', message)))];

const Base: typeof HTMLElement = globalThis.HTMLElement ?? (class {} as typeof HTMLElement);

/**
 * `<durchblick-answer>`: its property `result` takes an answer, or one that came as JSON. The attribute `show` lists parts of
 * `caption chart table notes`, all when left out; `theme="dark"` draws for dark pages. Tells `durchblick-cell` when a
 * reader chooses a number.
 */
export class DurchblickAnswer extends Base {
  static readonly observedAttributes = ['show', 'theme'];
  #result: ResultJson | undefined;
  /** Drawings under way: a later one takes the place of an earlier. */
  #drawing = 0;

  get result(): ResultJson | undefined {
    return this.#result;
  }

  set result(result: ResultJson | undefined) {
    this.#result = result;
    this.#draw();
  }

  connectedCallback(): void {
    this.#draw();
  }

  attributeChangedCallback(): void {
    this.#draw();
  }

  #draw(): void {
    const json = this.#result;
    if (!this.isConnected) return;
    const root = this.shadowRoot ?? this.attachShadow({ mode: 'open' });
    const style = element('style', '', STYLE);
    if (!json) {
      root.replaceChildren(style);
      return;
    }
    const wanted = this.getAttribute('show')?.split(/\s+/) ?? PARTS;
    const result = withOutputs('toJson' in json ? (json as PlainResult).toJson() : json);
    const figure = element('figure');
    if (wanted.includes('caption')) figure.append(element('figcaption', '', result.caption));
    if (wanted.includes('chart') && result.rows.length > 0) figure.append(this.#chart(result));
    if (wanted.includes('table')) figure.append(tableOf(result, (detail) => this.#tell(detail)));
    if (wanted.includes('notes')) figure.append(...notesOf(result.notes));
    root.replaceChildren(style, figure);
  }

  #tell(detail: CellDetail): void {
    this.dispatchEvent(new CustomEvent<CellDetail>(CELL_EVENT, { detail, bubbles: true, composed: true }));
  }

  /** The chart comes when it is drawn; what cannot be drawn is said, and the table is there all the same. */
  #chart(result: PlainResult): HTMLElement {
    const place = element('div', 'chart');
    this.#drawing++;
    const own = this.#drawing;
    const dark = this.getAttribute('theme') === 'dark';
    const draw = async (): Promise<void> => {
      const svg = await renderSvg(chartSpec(result, { title: 'none', ...(dark ? { theme: 'dark' as const } : {}) }));
      if (own !== this.#drawing) return;
      const parsed = new DOMParser().parseFromString(svg, 'image/svg+xml').documentElement;
      parsed.setAttribute('role', 'img');
      parsed.setAttribute('aria-label', result.caption);
      place.replaceChildren(document.importNode(parsed, true));
      this.dispatchEvent(new CustomEvent('durchblick-drawn', { bubbles: true, composed: true }));
    };
    draw().catch((error: unknown) => {
      if (own === this.#drawing) place.replaceChildren(element('p', 'fault', (error as Error).message));
    });
    return place;
  }
}

if (globalThis.customElements && !customElements.get('durchblick-answer')) customElements.define('durchblick-answer', DurchblickAnswer);

declare global {
  interface HTMLElementTagNameMap {
    'durchblick-answer': DurchblickAnswer;
  }
}
