// A dictionary as one page that needs nothing else: searchable, printable, light and dark.
import { escapeHtml as html } from '../basics/text.ts';
import { type Words, wordsOf } from '../words/all.ts';
import { filled, type Phrases } from '../words/phrases.ts';
import type { Defined, DefinedSpan, DefinedValue, DefinedYears, Dictionary } from './dictionary.ts';
import { originsPicture, originsText, type SpanScale, spanPicture, spanScale } from './picture.ts';

const STYLE = `
:root { color-scheme: light dark; --ink: #26332b; --quiet: #5f6b64; --ground: #fff; --card: #f6f8f6; --line: #d9e0db; --own: #14532d; --bar: #3b5fa8; --mark: #a3400f; }
@media (prefers-color-scheme: dark) { :root { --ink: #e3ebe6; --quiet: #a4b3aa; --ground: #151d18; --card: #1d2721; --line: #35433b; --own: #7fcf9b; --bar: #8fb0f0; --mark: #f0a36b; } }
* { box-sizing: border-box; }
body { margin: 0; font: 15px/1.5 system-ui, sans-serif; color: var(--ink); background: var(--ground); }
header, main { max-width: 68rem; margin: 0 auto; padding: 0 1.25rem; }
header { padding-top: 1.5rem; }
h1 { font-size: 1.6rem; margin: 0; } h2 { font-size: 1.2rem; margin: 2.2rem 0 .6rem; } h3 { font-size: 1rem; margin: 0; }
.quiet, .name { color: var(--quiet); } .name { font-family: ui-monospace, monospace; font-weight: 400; font-size: .85rem; }
.tools { position: sticky; top: 0; background: var(--ground); border-bottom: 1px solid var(--line); padding: .6rem 0; margin-top: 1rem; display: flex; flex-wrap: wrap; gap: .4rem 1rem; align-items: center; }
.tools input { font: inherit; color: inherit; background: var(--card); border: 1px solid var(--quiet); border-radius: 4px; padding: .3rem .6rem; min-width: 16rem; }
nav { display: flex; flex-wrap: wrap; gap: .2rem .9rem; } a { color: var(--own); }
article { background: var(--card); border: 1px solid var(--line); border-radius: 6px; padding: .8rem 1rem; margin: .7rem 0; break-inside: avoid; scroll-margin-top: 4rem; }
article p { margin: .25rem 0; max-width: 60rem; } .sentence::first-letter { text-transform: uppercase; }
dl { display: flex; flex-wrap: wrap; gap: .1rem 1.6rem; margin: .4rem 0 0; font-size: .9rem; } dl div { display: flex; gap: .4rem; } dt { color: var(--quiet); } dd { margin: 0; overflow-wrap: anywhere; }
.drawing { overflow-x: auto; margin-top: .5rem; }
table { border-collapse: collapse; width: 100%; font-size: .9rem; } th, td { text-align: left; padding: .3rem .9rem .3rem 0; border-bottom: 1px solid var(--line); vertical-align: top; } th { color: var(--quiet); font-weight: 600; } td.number, th.number { text-align: right; } td svg { vertical-align: middle; }
td .name { display: block; } .scroll { overflow-x: auto; }
svg text { font: 11px ui-monospace, monospace; fill: var(--ink); } svg .line { fill: none; stroke: var(--quiet); stroke-width: 1; } svg .box { fill: var(--ground); stroke: var(--quiet); } svg .box-end { stroke: var(--own); stroke-width: 1.6; } svg .box-start { stroke-dasharray: 3 2; }
svg .bar { fill: var(--bar); } svg .as-of { stroke: var(--mark); stroke-width: 1.5; } svg .beyond { fill: none; stroke: var(--bar); stroke-width: 1.5; }
details summary { cursor: pointer; color: var(--quiet); margin-top: .4rem; }
[hidden] { display: none !important; }
@media print { .tools { display: none; } article { border-color: #999; } body { font-size: 11pt; } }
`;

/** Hides what does not have all words of the search. */
const SCRIPT = `
const box = document.querySelector('input[type=search]');
const items = [...document.querySelectorAll('[data-item]')].map((item) => [item, item.textContent.toLowerCase()]);
const sections = [...document.querySelectorAll('main section')];
const none = document.querySelector('.none');
const search = () => {
  const words = box.value.toLowerCase().split(/\\s+/).filter(Boolean);
  for (const [item, text] of items) item.hidden = !words.every((word) => text.includes(word));
  for (const details of document.querySelectorAll('details')) if (words.length > 0 && details.querySelector('[data-item]:not([hidden])')) details.open = true;
  for (const section of sections) section.hidden = words.length > 0 && !section.querySelector('[data-item]:not([hidden])');
  none.hidden = sections.some((section) => !section.hidden);
};
box.addEventListener('input', search);
document.addEventListener('keydown', (event) => { if (event.key === '/' && document.activeElement !== box) { event.preventDefault(); box.focus(); } });
search();
`;

interface Page {
  readonly dictionary: Dictionary;
  readonly words: Words;
  readonly phrases: Phrases;
  readonly scale: SpanScale;
  readonly measures: ReadonlyMap<string, DefinedValue>;
}

const idOf = (kind: string, name: string): string => html(`${kind}-${encodeURIComponent(name)}`);
const titleOf = ({ label, name }: { readonly label?: string; readonly name: string }): string =>
  label === undefined || label === name ? html(name) : `${html(label)} <span class="name">${html(name)}</span>`;

const facts = (entries: readonly (readonly [string, string | undefined])[]): string => {
  const shown = entries.filter(([, text]) => text !== undefined && text !== '');
  return shown.length === 0 ? '' : `<dl>${shown.map(([term, text]) => `<div><dt>${html(term)}</dt><dd>${text}</dd></div>`).join('')}</dl>`;
};

const linked = (kind: string, names: readonly string[]): string =>
  names.map((name) => `<a href="#${idOf(kind, name)}">${html(name)}</a>`).join(', ');

const betterText = (better: DefinedValue['better'], phrases: Phrases): string | undefined =>
  better === undefined ? undefined : html(phrases[better]);

const valueCard = (kind: 'measure' | 'formula', value: DefinedValue, page: Page): string => {
  const { phrases } = page;
  const { name, sentence, adds, description, written, owner, better, uses, usedIn } = value;
  const text = originsText(value);
  return `<article id="${idOf(kind, name)}" data-item>
<h3>${titleOf(value)}</h3>
<p class="sentence">${html(sentence)}${adds === undefined ? '' : `<span class="quiet">; ${html(adds)}</span>`}</p>
${description === undefined ? '' : `<p>${html(description)}</p>`}
${facts([
  [phrases.written, html(written)],
  [phrases.better, betterText(better, phrases)],
  [phrases.owner, owner === undefined ? undefined : html(owner)],
  [phrases.from, uses === undefined ? html(text) : linked('measure', uses)],
  [phrases.usedIn, linked('formula', usedIn)],
])}
<div class="drawing">${originsPicture(value, page.measures, `${name}: ${text}`)}</div>
</article>`;
};

const spanWords = ({ from, to }: DefinedSpan, phrases: Phrases): string =>
  from === null || to === null ? phrases.noDay : from === to ? from : `${from} – ${to}`;

const spanRow = (kind: 'window' | 'comparison', span: DefinedSpan, { words, phrases, scale }: Page): string => {
  const days = spanWords(span, phrases);
  const by =
    span.by === undefined
      ? ''
      : `<span class="quiet"> ${html(filled(phrases.against, { unit: words.attribute(span.by) ?? span.by }))}</span>`;
  return `<tr id="${idOf(kind, span.name)}" data-item><td>${titleOf(span)}${span.description === undefined ? '' : `<br>${html(span.description)}`}</td><td class="name">${html(span.is)}</td><td>${html(days)}${by}</td><td class="number">${span.days === 0 ? '' : span.days}</td><td>${spanPicture(span, scale, days)}</td></tr>`;
};

const spanTable = (kind: 'window' | 'comparison', spans: readonly DefinedSpan[], page: Page): string => {
  const { phrases } = page;
  const head = `<tr><th scope="col">${html(kind === 'window' ? phrases.windows : phrases.comparisons)}</th><th></th><th scope="col">${html(phrases.dates)}</th><th scope="col" class="number">${html(phrases.length)}</th><th></th></tr>`;
  const table = (list: readonly DefinedSpan[]): string =>
    `<div class="scroll"><table><thead>${head}</thead><tbody>${list.map((span) => spanRow(kind, span, page)).join('\n')}</tbody></table></div>`;
  const [own, builtIn] = [spans.filter((span) => !span.builtIn), spans.filter((span) => span.builtIn)];
  return `${own.length > 0 ? table(own) : ''}${builtIn.length > 0 ? `<details><summary>${builtIn.length} ${html(phrases.builtIn)}</summary>${table(builtIn)}</details>` : ''}`;
};

const yearsTable = ({ unit, years }: DefinedYears, { phrases }: Page): string =>
  `<h3>${html(unit)}</h3><div class="scroll"><table><thead><tr><th scope="col">${html(phrases.year)}</th><th scope="col">${html(phrases.begins)}</th><th scope="col">${html(phrases.ends)}</th><th scope="col" class="number">${html(phrases.length)}</th><th scope="col" class="number">${html(phrases.workingDays)}</th></tr></thead><tbody>${years
    .map(
      ({ label, start, end, days, workingDays }) =>
        `<tr data-item><td>${html(label)}</td><td>${start}</td><td>${end}</td><td class="number">${days}</td><td class="number">${workingDays}</td></tr>`,
    )
    .join('')}</tbody></table></div>`;

const definedTable = (kind: string, list: readonly Defined[], { phrases }: Page): string =>
  `<div class="scroll"><table><tbody>${list
    .map(
      (entry) =>
        `<tr id="${idOf(kind, entry.name)}" data-item><td>${titleOf(entry)}</td><td>${html(entry.is)}${entry.description === undefined ? '' : `<br>${html(entry.description)}`}${entry.owner === undefined ? '' : `<br><span class="quiet">${html(phrases.owner)}: ${html(entry.owner)}</span>`}</td></tr>`,
    )
    .join('\n')}</tbody></table></div>`;

const figuresTable = (figures: Dictionary['figures']): string =>
  `<div class="scroll"><table><tbody>${figures
    .map(
      ({ reading, where, is, note }) =>
        `<tr data-item><td>${html(reading)}</td><td>${html(where)}</td><td class="number">${html(is)}</td><td>${html(note ?? '')}</td></tr>`,
    )
    .join('\n')}</tbody></table></div>`;

/** The sections that the model has something for: id, heading, and what is in it. */
const sectionsOf = (page: Page): readonly (readonly [id: string, title: string, body: string])[] => {
  const { dictionary, phrases } = page;
  const { measures, formulas, windows, comparisons, calendars, attributes, facts: rows, sources, alerts, figures, questions } = dictionary;
  const all: readonly (readonly [string, string, number, () => string])[] = [
    ['measures', phrases.measures, measures.length, () => measures.map((value) => valueCard('measure', value, page)).join('\n')],
    ['formulas', phrases.formulas, formulas.length, () => formulas.map((value) => valueCard('formula', value, page)).join('\n')],
    ['windows', phrases.windows, windows.length, () => spanTable('window', windows, page)],
    ['comparisons', phrases.comparisons, comparisons.length, () => spanTable('comparison', comparisons, page)],
    ['questions', phrases.questions, questions.length, () => definedTable('question', questions, page)],
    ['figures', phrases.figures, figures.length, () => figuresTable(figures)],
    ['alerts', phrases.alerts, alerts.length, () => definedTable('alert', alerts, page)],
    ['attributes', phrases.attributes, attributes.length, () => definedTable('attribute', attributes, page)],
    ['facts', phrases.facts, rows.length, () => definedTable('fact', rows, page)],
    ['sources', phrases.sources, sources.length, () => definedTable('source', sources, page)],
    [
      'calendar',
      phrases.calendar,
      calendars.length,
      () =>
        `<p>${html(filled(phrases.weekStarts, { day: dictionary.weekStarts }))}. ${html(filled(phrases.timeZone, { zone: dictionary.timeZone }))}.</p>${calendars.map((years) => yearsTable(years, page)).join('\n')}`,
    ],
  ];
  return all.filter(([, , count]) => count > 0).map(([id, title, , body]) => [id, title, body()]);
};

/** The page. It asks nothing of a network; what it shows is text of the model, and never runs. */
export const dictionaryHtml = (dictionary: Dictionary): string => {
  const words = wordsOf(dictionary.locale);
  const { phrases } = words;
  const page: Page = {
    dictionary,
    words,
    phrases,
    scale: spanScale([...dictionary.windows, ...dictionary.comparisons], dictionary.asOf),
    measures: new Map(dictionary.measures.map((measure) => [measure.name, measure])),
  };
  const sections = sectionsOf(page);
  const title = `${dictionary.name}: ${phrases.dictionary}`;
  return `<!doctype html>
<html lang="${html(dictionary.locale)}">
<head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><title>${html(title)}</title><style>${STYLE}</style></head>
<body>
<header><h1>${html(dictionary.name)}</h1><p class="quiet">${html(phrases.dictionary)}, ${html(words.asOf(dictionary.asOf))}</p>
<div class="tools"><label>${html(phrases.search)} <input type="search" autocomplete="off"></label><nav>${sections.map(([id, text]) => `<a href="#${id}">${html(text)}</a>`).join('')}</nav></div></header>
<main>
${sections.map(([id, text, body]) => `<section id="${id}" aria-labelledby="${id}-title"><h2 id="${id}-title">${html(text)}</h2>${body}</section>`).join('\n')}
<p class="none" role="status" hidden>${html(phrases.nothingFound)}</p>
</main>
<script>${SCRIPT}</script>
</body></html>
`;
};
