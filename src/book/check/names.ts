// Findings about the model alone: what nothing uses, what lacks a language (R5).
import { valueNamesIn } from '../../language/inner.ts';
import type { Path } from '../../model/keys.ts';
import { columnOf, type Model } from '../../model/model.ts';
import { thingsOf } from '../../model/things.ts';
import { speaks, type Texts } from '../../words/texts.ts';
import { EXAMPLES, type Finding } from './finding.ts';

const unused = (what: string, name: string, path: readonly string[], model: Model, wayOut: string): Finding => ({
  code: 'unused-name',
  severity: 'hint',
  message: `${what} "${name}" is used by nothing`,
  count: 1,
  examples: [],
  wayOut,
  place: model.locate(path),
});

/** Labels and descriptions by language, and the languages that some of them have and others lack (R5). */
const languageFindings = (model: Model): Finding[] => {
  const texts: { readonly path: Path; readonly key: string; readonly text: Texts }[] = [];
  for (const { path, written } of thingsOf(model.input))
    for (const key of ['label', 'description']) {
      const text = typeof written === 'object' && written !== null ? (written as Record<string, unknown>)[key] : undefined;
      if (typeof text === 'object' && text !== null) texts.push({ path, key, text: text as Texts });
    }
  const languages = [...new Set(texts.flatMap(({ text }) => Object.keys(text)))].sort();
  return languages.flatMap((language): Finding[] => {
    const missed = texts.filter(({ text }) => !speaks(text, language));
    // In the model's own language the name stands where there is no text.
    if (missed.length === 0 || speaks({ [language]: '' }, model.locale)) return [];
    return [
      {
        code: 'missing-language',
        severity: 'hint',
        message: `${missed.length} of ${texts.length} ${texts.length === 1 ? 'text' : 'texts'} by language ${missed.length === 1 ? 'lacks' : 'lack'} ${language}`,
        count: missed.length,
        examples: missed.slice(0, EXAMPLES).map(({ path, key }) => `${path[path.length - 1]} (${key})`),
        wayOut: `An answer in ${language} takes that of the model's own language, else the name (R5).`,
        place: model.locate([...missed[0].path, missed[0].key], 'key'),
      },
    ];
  });
};

/** Sources, dimensions and computed columns that nothing uses, and windows that are there already. */
export const nameFindings = (model: Model): Finding[] => {
  const found: Finding[] = languageFindings(model);
  const { calendar } = model.input;
  const tables = [
    ...Object.values(calendar?.yearSystems ?? {}).map((system) => (system as { table?: string }).table),
    ...Object.values(calendar?.periods ?? {}).map((period) => (period as { table?: string }).table),
    (calendar?.workingDays as { holidays?: { table?: string } } | undefined)?.holidays?.table,
  ];
  const sources = new Set([
    ...[...model.facts.values()].map(({ source }) => source),
    ...[...model.dimensions.values()].map(({ source }) => source),
    ...[...model.rates.values()].map(({ source }) => source),
    ...tables,
  ]);
  for (const name of model.sources.keys())
    if (!sources.has(name))
      found.push(unused('source', name, ['sources', name], model, 'Leave it out, or give it to a fact or dimension.'));
  const linked = new Set([...model.facts.values()].flatMap(({ links }) => links.map(({ dimension }) => dimension.name)));
  for (const name of model.dimensions.keys())
    if (!linked.has(name)) found.push(unused('dimension', name, ['dimensions', name], model, 'Link a fact to it, or leave it out.'));
  for (const fact of model.facts.values()) {
    const used = new Set<string>();
    for (const measure of model.measures.values()) {
      const column = columnOf(measure.aggregate);
      if (measure.fact === fact && column !== undefined) used.add(column);
    }
    for (const band of fact.bands.values()) used.add(band.of);
    for (const expression of fact.columns.values()) for (const name of valueNamesIn(expression)) used.add(name);
    for (const name of fact.columns.keys())
      if (!used.has(name))
        found.push(unused('column', name, ['facts', fact.name, 'columns', name], model, 'Sum it in a measure, or leave it out.'));
  }
  const builtIn = [...model.windows.values()].filter((window) => window.builtIn);
  for (const own of model.windows.values()) {
    if (own.builtIn || own.previous !== undefined || own.full) continue;
    const same = builtIn.find(({ window }) => JSON.stringify(window) === JSON.stringify(own.window));
    if (!same) continue;
    found.push({
      code: 'window-built-in',
      severity: 'hint',
      message: `window "${own.name}" is the built-in "${same.name}"`,
      count: 1,
      examples: [own.text],
      wayOut: `Use ${same.name}, which everybody knows.`,
      place: model.locate(['windows', own.name]),
    });
  }
  return found;
};
