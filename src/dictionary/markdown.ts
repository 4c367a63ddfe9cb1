// A dictionary as Markdown, for wikis and repositories.
import { markdownTable } from '../result/text.ts';
import { type Words, wordsOf } from '../words/all.ts';
import { filled, type Phrases } from '../words/phrases.ts';
import type { Defined, DefinedSpan, DefinedValue, Dictionary } from './dictionary.ts';
import { originsText } from './picture.ts';

/** Text of a model that Markdown would read as its own signs. */
const plain = (text: string): string => text.replace(/[\\`*_{}[\]<>#|]/g, (sign) => `\\${sign}`).replace(/\s+/g, ' ');
const titleOf = ({ label, name }: { readonly label?: string; readonly name: string }): string =>
  label === undefined || label === name ? plain(name) : `${plain(label)} (${plain(name)})`;

const valueText = (value: DefinedValue, phrases: Phrases): string => {
  const { sentence, adds, description, written, owner, better, uses, usedIn } = value;
  const list: (readonly [string, string | undefined])[] = [
    [phrases.written, written],
    [phrases.better, better === undefined ? undefined : phrases[better]],
    [phrases.owner, owner],
    [phrases.from, uses === undefined ? originsText(value) : uses.join(', ')],
    [phrases.usedIn, usedIn.join(', ')],
  ];
  const lines = list.flatMap(([term, text]) => (text ? [`- ${plain(term)}: ${plain(text)}`] : []));
  return [
    `### ${titleOf(value)}`,
    '',
    `${plain(sentence)}${adds === undefined ? '' : `; ${plain(adds)}`}.`,
    ...(description === undefined ? [] : ['', plain(description)]),
    '',
    ...lines,
    '',
  ].join('\n');
};

const spansText = (title: string, spans: readonly DefinedSpan[], words: Words): string => {
  const { phrases } = words;
  return markdownTable(
    [title, '', phrases.begins, phrases.ends, phrases.length, ''],
    spans.map((span) => [
      span.label === undefined ? span.name : `${span.label} (${span.name})`,
      span.is,
      span.from ?? phrases.noDay,
      span.to ?? '',
      span.days === 0 ? '' : String(span.days),
      [span.by === undefined ? '' : filled(phrases.against, { unit: words.attribute(span.by) ?? span.by }), span.description ?? '']
        .filter((text) => text !== '')
        .join('; '),
    ]),
    (column) => column === 4,
  );
};

const definedText = (list: readonly Defined[], phrases: Phrases): string =>
  list
    .map(
      (entry) =>
        `- **${titleOf(entry)}**: ${plain(entry.is)}${entry.description === undefined ? '' : `. ${plain(entry.description)}`}${entry.owner === undefined ? '' : ` (${plain(phrases.owner)}: ${plain(entry.owner)})`}\n`,
    )
    .join('');

export const dictionaryMarkdown = (dictionary: Dictionary): string => {
  const words = wordsOf(dictionary.locale);
  const { phrases } = words;
  const { measures, formulas, windows, comparisons, questions, figures, alerts, attributes, facts, sources, calendars } = dictionary;
  const values = (list: readonly DefinedValue[]): string => list.map((value) => valueText(value, phrases)).join('\n');
  const years = calendars.map(
    ({ unit, years: list }) =>
      `### ${plain(unit)}\n\n${markdownTable(
        [phrases.year, phrases.begins, phrases.ends, phrases.length, phrases.workingDays],
        list.map(({ label, start, end, days, workingDays }) => [label, start, end, String(days), String(workingDays)]),
        (column) => column > 2,
      )}`,
  );
  const sections: readonly (readonly [string, number, string])[] = [
    [phrases.measures, measures.length, values(measures)],
    [phrases.formulas, formulas.length, values(formulas)],
    [phrases.windows, windows.length, spansText(phrases.windows, windows, words)],
    [phrases.comparisons, comparisons.length, spansText(phrases.comparisons, comparisons, words)],
    [phrases.questions, questions.length, definedText(questions, phrases)],
    [
      phrases.figures,
      figures.length,
      figures
        .map(
          ({ reading, where, is, note }) =>
            `- ${plain(reading)}, ${plain(where)}: ${plain(is)}${note === undefined ? '' : ` (${plain(note)})`}\n`,
        )
        .join(''),
    ],
    [phrases.alerts, alerts.length, definedText(alerts, phrases)],
    [phrases.attributes, attributes.length, definedText(attributes, phrases)],
    [phrases.facts, facts.length, definedText(facts, phrases)],
    [phrases.sources, sources.length, definedText(sources, phrases)],
    [
      phrases.calendar,
      calendars.length,
      `${plain(filled(phrases.weekStarts, { day: dictionary.weekStarts }))}. ${plain(filled(phrases.timeZone, { zone: dictionary.timeZone }))}.\n\n${years.join('\n')}`,
    ],
  ];
  return `# ${plain(dictionary.name)}\n\n${plain(phrases.dictionary)}, ${words.asOf(dictionary.asOf)}.\n\n${sections
    .filter(([, count]) => count > 0)
    .map(([title, , text]) => `## ${plain(title)}\n\n${text.trimEnd()}\n`)
    .join('\n')}`;
};
