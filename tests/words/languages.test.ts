import { expect, test } from 'vitest';
import { defineModel, type ModelInput, open, type Question, resultFromJson } from '../../src/index.ts';
import { builtInWindows } from '../../src/model/builtin.ts';
import { languages, noteText, wordsOf } from '../../src/words/all.ts';
import { textIn } from '../../src/words/texts.ts';
import { memory } from '../setup/library.ts';

const input: ModelInput = {
  locale: 'en-GB',
  calendar: {
    names: { 'weekday-short': { thursday: 'Thurs' } },
    yearSystems: { fiscal: { starts: '--07-01' }, retail: { pattern: '4-4-5', ends: 'saturday nearest june 30' } },
    periods: { season: { rows: { Spring: { starts: '2026-03-01', ends: '2026-05-31' } } } },
  },
  dimensions: {
    channel: { label: { en: 'Channel', de: 'Kanal' } },
    region: { source: 'regions', key: 'id', attributes: { region: 'name', country: { column: 'country', label: { de: 'Land' } } } },
  },
  facts: {
    sales: {
      source: 'sales',
      enters: 'ordered',
      dates: {
        ordered: { column: 'ordered', label: { de: 'bestellt' } },
        shipped: { column: 'shipped', label: { en: 'sent', de: 'versandt' } },
      },
      links: { channel: 'channel', region: 'region', 'ship-region': { dimension: 'region', column: 'ship', label: { de: 'Ziel' } } },
      measures: {
        revenue: { sum: 'amount', role: 'ordered', label: { de: 'Umsatz', 'de-AT': 'Erlös' }, format: { minimumFractionDigits: 2 } },
        net: { sum: 'amount', role: 'ordered', label: { de: 'Umsatz' } },
        orders: { count: 'rows', role: 'ordered', label: 'Orders' },
        plain: { sum: 'amount', role: 'ordered' },
      },
    },
  },
  formulas: { share: { is: 'revenue / orders', label: { de: 'Anteil', fr: 'Part' } } },
  windows: { fortnight: { is: 'P14D/anchor', label: { de: 'zwei Wochen' } } },
  comparisons: { 'week-before': { shift: '-P7D', label: { de: 'Vorwoche' } } },
  alerts: { low: { reading: 'revenue', below: 12.5, by: 'month', label: { en: 'too low', de: 'zu niedrig' } } },
};
const tables = {
  regions: [
    { id: 1, name: 'North', country: 'Here' },
    { id: 2, name: 'South', country: 'There' },
  ],
  sales: [
    { ordered: '2026-01-01', shipped: '2026-01-03', channel: 'web', region: 1, ship: 2, amount: 10 },
    { ordered: '2026-01-02', shipped: null, channel: 'shop', region: 2, ship: 2, amount: 1.5 },
    { ordered: '2026-02-05', shipped: '2026-02-06', channel: 'phone', region: 1, ship: 1, amount: 20 },
  ],
};
const book = await open(defineModel(input), memory(tables));
const asked = (question: object) => book.ask(question as Question as never);
const headings = async (show: readonly string[], locale: string, more: object = {}) =>
  (await asked({ show, locale, ...more })).columns.slice(1).map(({ label }) => label);

test.each([
  ['revenue', 'Umsatz'],
  ['revenue on shipped', 'Umsatz (versandt)'],
  ['revenue on shipped over mtd', 'Umsatz (versandt, Monat bis heute)'],
  ['revenue over fortnight', 'Umsatz (zwei Wochen)'],
  ['plain over fortnight', 'plain (zwei Wochen)'],
  ['plain on shipped', 'plain (versandt)'],
  ['plain over mtd', 'plain over mtd'],
  ['revenue over [P3D/anchor]', 'Umsatz ([P3D/anchor])'],
  ['revenue vs year-earlier', 'Umsatz (Vorjahr)'],
  ['revenue vs week-before as change', 'Umsatz (Veränderung zu Vorwoche)'],
  ['revenue vs [-P2Y] as ratio', 'Umsatz (Verhältnis zu [-P2Y])'],
  ['revenue across (channel, country)', 'Umsatz (über alle Kanal und Land)'],
  ['revenue across all', 'Umsatz (über alles)'],
  ['share over mtd', 'Anteil (Monat bis heute)'],
  ['revenue / (orders - plain) * 2', 'Umsatz / (Orders - plain) * 2'],
  ['(revenue - orders) / (plain * 2)', '(Umsatz - Orders) / (plain * 2)'],
  ['-(revenue + 1) over mtd', '-(Umsatz + 1) (Monat bis heute)'],
  ['round(revenue, 1)', 'round(Umsatz, 1)'],
])('labels show what was asked: %s is %s in German (R5)', async (reading, heading) => {
  expect(await headings([reading], 'de')).toEqual([heading]);
});

test('a language falls back to its narrower and wider ones, then to that of the model, then to the name (R5)', async () => {
  expect(await headings(['revenue', 'orders'], 'de-AT')).toEqual(['Erlös', 'Orders']);
  expect(await headings(['revenue', 'plain on shipped'], 'fr')).toEqual(['revenue', 'plain (sent)']);
  expect(await headings(['revenue', 'revenue over mtd'], 'en-GB')).toEqual(['revenue', 'revenue over mtd']);
  expect(textIn({ en: 'a', 'zh-Hant': 'b' }, 'zh-Hant-TW', 'en-GB')).toBe('b');
  expect(textIn({ 'zh-Hant': 'b' }, 'zh', 'en-GB')).toBeUndefined();
});

test('no two columns get one heading, in any language (R5)', async () => {
  const found = await headings(['revenue', 'net', 'revenue over mtd'], 'de', { per: ['country', 'ship-region.country', 'channel'] });
  expect(found).toEqual(['Land', 'Land (Ziel)', 'Kanal', 'Umsatz (revenue)', 'Umsatz (net)', 'Umsatz (Monat bis heute)']);
});

const german = () =>
  asked({
    show: ['revenue', 'revenue over mtd vs previous', 'plain on shipped'],
    by: 'month',
    per: ['channel'],
    order: 'revenue desc',
    limit: 1,
    rest: true,
    totals: true,
    locale: 'de',
  });

test('fixed words, caption, notes and numbers are in the language; names, members and periods stay what they are (R5)', async () => {
  const result = await german();
  expect(result.toCsv().split('\r\n')).toEqual([
    'period,channel,revenue,revenue over mtd vs previous,plain on shipped',
    ...'2026-01,phone,,, 2026-01,(übrige),11.5,,10 2026-01,Gesamt,11.5,,10 2026-02,phone,20,,'.split(' '),
    ...'2026-02,(übrige),,11.5, 2026-02,Gesamt,20,11.5, Gesamt,phone,20,, Gesamt,(übrige),11.5,11.5,10'.split(' '),
    ...'Gesamt,Gesamt,31.5,11.5,10'.split(' '),
    '',
  ]);
  expect(result.toTable().header).toEqual(['Zeitraum', 'Kanal', 'Umsatz', 'Umsatz (Monat bis heute, Vorzeitraum)', 'plain (versandt)']);
  expect(result.toTable().rows[1].cells[2]).toBe('11,50');
  expect(result.toTable().rows.map(({ kind }) => kind)).toEqual([...'cell others total cell others total total total total'.split(' ')]);
  expect(result.caption).toBe('1. Jan. – 5. Feb. 2026 gegenüber 1.–5. Jan. 2026');
  expect(result.notes.map(({ message }) => message)).toContain(
    'plain on shipped: 1 Zeile hat kein Datum shipped und ist in keinem Zeitraum (plain 1,5)',
  );
  expect([result.locale, resultFromJson(JSON.parse(JSON.stringify(result.toJson()))).toTable()]).toEqual(['de', result.toTable()]);
});

test('an answer in another language is the same numbers (R5)', async () => {
  const question = { show: ['revenue', 'share', 'orders over mtd vs previous as change'], by: 'month', per: ['channel', 'weekday'] };
  const [own, other] = [await asked(question), await asked({ ...question, locale: 'de' })];
  const numbers = (result: typeof own) => result.rows.map((row) => row.filter((cell) => typeof cell !== 'string'));
  expect(numbers(other)).toEqual(numbers(own));
});

test('names of days are in the language; what the model calls them is understood in all of them (R5, U11)', async () => {
  const members = async (locale: string | undefined, wanted: readonly string[]) =>
    (await asked({ show: ['orders'], per: ['weekday'], where: { weekday: wanted }, ...(locale ? { locale } : {}) })).rows.map(
      (row) => row[1],
    );
  expect(await members(undefined, ['Thurs', 'fri'])).toEqual(['Thurs', 'Fri']);
  expect(await members('de', ['Thurs', 'Freitag'])).toEqual(['Do', 'Fr']);
  expect(await members('en-US', ['Thursday', '5'])).toEqual(['Thurs', 'Fri']);
  await expect(members(undefined, ['Freitag'])).rejects.toMatchObject({ code: 'unknown-member' });
  const months = await asked({ show: ['orders'], per: ['month-of-year'], where: { 'month-of-year': ['February', 'Jan'] }, locale: 'de' });
  expect([months.columns[1].label, ...months.rows.map((row) => row[1])]).toEqual(['Monat im Jahr', 'Jan', 'Feb']);
});

test('alerts, explanations, windows and names take a language (R5)', async () => {
  const [{ notes, marks }] = [await asked({ show: ['revenue'], by: 'month', locale: 'de' })];
  expect([notes[0].message, marks[0][1]?.label]).toEqual(['zu niedrig: Umsatz ist unter 12,5 in 1 Zelle', 'zu niedrig']);
  expect((await book.explain({ reading: 'revenue', at: '2026-01', locale: 'de' })).text).toBe('11,50');
  expect((await book.windows({ only: ['fortnight'], locale: 'de' }))[0].label).toBe('zwei Wochen');
  expect((await book.names('de')).find(({ name }) => name === 'share')?.label).toBe('Anteil');
  await expect(asked({ show: ['revenue'], locale: 'no such' })).rejects.toMatchObject({ code: 'bad-locale' });
});

test('`check` tells languages that some texts have and others lack (R5)', async () => {
  const found = (await book.check()).filter(({ code }) => code === 'missing-language');
  expect(found.map(({ message, examples }) => [message, examples])).toEqual([
    ['10 of 11 texts by language lack fr', ['channel (label)', 'country (label)', 'ordered (label)']],
  ]);
});

test('a map of texts by what is no language is a fault of the model (R5)', () => {
  const wrong = { ...input, formulas: { share: { is: 'revenue', label: { german_: 'Anteil' } } } } as ModelInput;
  expect(() => defineModel(wrong)).toThrow(expect.objectContaining({ code: 'bad-locale', message: '"german_" is no language' }));
});

test.each(languages())('%s has words for every built-in window and comparison (W10, C5)', (language) => {
  const words = wordsOf(language);
  const systems = [
    { name: 'fiscal', kind: 'months' as const },
    { name: 'retail', kind: 'weeks' as const },
    { name: 'board', kind: 'listed' as const },
  ];
  const names = builtInWindows(systems, ['season']).map(([name]) => name);
  const texts = names.map((name) => words.window(name));
  expect(texts.filter((text) => text === undefined || text.includes('undefined'))).toEqual([]);
  expect(new Set(texts).size).toBe(names.length);
  expect([words.comparison('previous'), words.comparison('year-earlier'), words.window('own'), words.comparison('own')]).toEqual([
    expect.any(String),
    expect.any(String),
    undefined,
    undefined,
  ]);
});

test('a note says the same numbers in every language (R5)', () => {
  const note = { code: 'unplaced-dates', measure: 'revenue', role: 'shipped', rows: 3, amount: 1.5 } as const;
  for (const language of languages()) expect(noteText(note, wordsOf(language)).replace(',', '.')).toMatch(/\b3\b.*\b1\.5\b/);
});
