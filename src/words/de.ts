// What results say in German (R5).
import { builtInWindow, unitParts } from './built-in.ts';
import type { Words } from './language.ts';
import { minute } from './phrases.ts';

/** A unit with its plural, and the ending that adjectives before it take. */
const UNITS: Readonly<Record<string, readonly [one: string, many: string, ending: string]>> = {
  day: ['Tag', 'Tage', 'er'],
  week: ['Woche', 'Wochen', 'e'],
  month: ['Monat', 'Monate', 'er'],
  quarter: ['Quartal', 'Quartale', 'es'],
  half: ['Halbjahr', 'Halbjahre', 'es'],
  year: ['Jahr', 'Jahre', 'es'],
  'week-year': ['Wochenjahr', 'Wochenjahre', 'es'],
};

const unitText = (unit: string, many = false): string => {
  const [system, civil] = unitParts(unit, UNITS);
  if (civil === undefined) return system;
  return `${system}${system ? '-' : ''}${UNITS[civil][many ? 1 : 0]}`;
};
const endingOf = (unit: string): string => {
  const [, civil] = unitParts(unit, UNITS);
  return civil === undefined ? 'e' : UNITS[civil][2];
};

/** A format made here would cost every other language the loading of its data. */
const decimalText = (value: number): string => value.toLocaleString('de', { useGrouping: false, maximumFractionDigits: 20 });
const rowsText = (rows: number): string => `${rows} ${rows === 1 ? 'Zeile' : 'Zeilen'}`;
const have = (rows: number): string => `${rowsText(rows)} ${rows === 1 ? 'hat' : 'haben'}`;
const are = (count: number): string => (count === 1 ? 'ist' : 'sind');
const LIMITS = { below: 'unter', 'at-most': 'höchstens', above: 'über', 'at-least': 'mindestens' } as const;
const FORMS = { value: '', difference: 'Differenz zu ', change: 'Veränderung zu ', ratio: 'Verhältnis zu ', index: 'Index zu ' } as const;
const ATTRIBUTES: Readonly<Record<string, string>> = { weekday: 'Wochentag', 'working-day': 'Arbeitstag', holiday: 'Feiertag' };

export const de: Words = {
  period: 'Zeitraum',
  total: 'Gesamt',
  others: '(übrige)',
  against: (own, other) => `${own} gegenüber ${other}`,
  actualsTo: (days, last) => `${days} (Ist bis ${last})`,
  notBegun: (days) => `${days} (noch nicht begonnen)`,
  stoodOn: (day) => ` nach dem Stand vom ${day}`,
  knownOn: (day) => ` wie bekannt am ${day}`,
  asOf: (day) => `Stand ${day}`,
  until: (day) => `bis ${day}`,
  reading: 'Größe',
  value: 'Wert',
  days: 'Tage',
  compared: 'verglichen mit',
  limit: (kind, value) => `${LIMITS[kind]} ${value}`,
  window: (name) => {
    const window = builtInWindow(name);
    switch (window?.kind) {
      case undefined:
        return undefined;
      case 'so-far':
        return 'bisher';
      case 'ever':
        return 'seit dem ersten Tag';
      case 'rolling':
        return `letzte ${window.count} ${unitText(window.unit, true)}`;
      case 'last-complete':
        return window.count === 1
          ? `letzt${endingOf(window.unit)} voll${endingOf(window.unit)} ${unitText(window.unit)}`
          : `letzte ${window.count} volle ${unitText(window.unit, true)}`;
      case 'to-date':
        return window.complete ? `${unitText(window.unit)} bis zum letzten vollen Monat` : `${unitText(window.unit)} bis heute`;
    }
  },
  comparison: (name) => (name === 'previous' ? 'Vorzeitraum' : name === 'year-earlier' ? 'Vorjahr' : undefined),
  form: (comparison, form) => `${FORMS[form]}${comparison}`,
  acrossAll: 'über alles',
  acrossTime: 'über die ganze Spanne',
  across: (attributes) => `über alle ${attributes.join(' und ')}`,
  attribute: (name) => {
    if (Object.hasOwn(ATTRIBUTES, name)) return ATTRIBUTES[name];
    if (Object.hasOwn(UNITS, name)) return UNITS[name][0];
    const [inner, outer] = name.split('-of-');
    return outer !== undefined && Object.hasOwn(UNITS, inner) && Object.hasOwn(UNITS, outer)
      ? `${UNITS[inner][0]} im ${UNITS[outer][0]}`
      : undefined;
  },
  phrases: {
    sum: 'Summe von {of}',
    average: 'Durchschnitt von {of}',
    min: 'kleinster Wert von {of}',
    max: 'größter Wert von {of}',
    count: 'Anzahl der Zeilen',
    countOf: 'Anzahl der Zeilen mit {of}',
    distinct: 'Anzahl verschiedener Werte von {of}',
    median: 'Median von {of}',
    percentile: 'Perzentil bei {at} von {of}',
    firstTime: 'Werte von {of}, die überhaupt zum ersten Mal vorkommen',
    averageOf: 'Durchschnitt: {of}',
    daysBetween: 'Tage von {from} bis {until}',
    workingDaysBetween: 'Arbeitstage von {from} bis {until}',
    overTime: '{value}, über die Zeit der {across} der Tage, die Zeilen haben',
    open: '{value}, von offenen Zeilen: von {from} bis {until}, am letzten Tag',
    last: 'letzte',
    lastKnown: 'letzte bekannte',
    first: 'erste',
    mean: 'Durchschnitt',
    least: 'kleinste',
    greatest: 'größte',
    over: 'über {fact}',
    where: 'wo {tests}',
    byDay: 'nach dem Tag {role}',
    byPlan: 'nach dem Tag {role}, einem Plan',
    addsUp: 'summiert sich über alles',
    addsOverMembers: 'summiert sich nicht über die Zeit, sonst schon',
    addsNowhere: 'summiert sich nicht: für jeden Zeitraum und jede Gruppe neu aus den Zeilen',
    addsOverTime: 'summiert sich über die Zeit, sonst nicht',
    keptBy: 'liegt je {grain} vor',
    spreadEven: 'gleichmäßig auf die Tage verteilt',
    spreadWorkingDays: 'auf die Arbeitstage verteilt',
    spreadLike: 'auf die Tage verteilt wie {shape}',
    spreadNone: 'leer, wo nach einem Teil gefragt wird',
    spreadAcross: 'auf {dimension} verteilt wie {shape}',
    unrelatedBlank: 'leer, wo keine Verbindung besteht',
    unrelatedRepeat: 'wiederholt, wo keine Verbindung besteht',
    isOneOf: '{attribute} {members} ist',
    isNot: '{attribute} nicht {members} ist',
    isBetween: '{attribute} zwischen {from} und {to} liegt',
    and: ' und ',
    or: ' oder ',
    dictionary: 'Was die Zahlen bedeuten',
    search: 'Suchen',
    nothingFound: 'Nichts hier hat diese Wörter.',
    measures: 'Kennzahlen',
    formulas: 'Formeln',
    windows: 'Fenster',
    comparisons: 'Vergleiche',
    attributes: 'Merkmale',
    facts: 'Fakten',
    sources: 'Quellen',
    calendar: 'Kalender',
    alerts: 'Warnungen',
    figures: 'Verbürgte Zahlen',
    questions: 'Fragen',
    owner: 'Zuständig',
    written: 'Geschrieben wie',
    from: 'Gemacht aus',
    usedIn: 'Gebraucht in',
    better: 'Besser',
    higher: 'höher',
    lower: 'niedriger',
    rows: 'Zeilen',
    dates: 'Daten',
    year: 'Jahr',
    begins: 'Beginnt',
    ends: 'Endet',
    length: 'Tage',
    workingDays: 'Arbeitstage',
    noDay: 'kein Tag',
    against: 'gegenüber: {unit}',
    builtIn: 'in jedem Modell',
    of: 'von {dimension}',
    weekStarts: 'Wochen beginnen am {day}',
    timeZone: 'Tage sind die von {zone}',
    vouched: '{value} in {at}',
  },
  notes: {
    'no-counterpart': ({ comparison, rows }) => `vs ${comparison}: ${have(rows)} kein Gegenüber und ${are(rows)} leer`,
    'short-history': ({ measure, window, first, rows }) =>
      `${measure} over ${window} reicht bei ${rowsText(rows)} vor den ersten Tag${first === undefined ? '' : ` (${first})`}: gerechnet mit dem, was da ist`,
    'cut-at-as-of': ({ window, asOf, rows }) =>
      `over ${window} reicht bei ${rowsText(rows)} über den Stichtag ${asOf} hinaus und endet dort`,
    overflow: ({ measure, cells }) =>
      `${measure}: ${cells} ${cells === 1 ? 'Wert ist' : 'Werte sind'} größer, als eine Zahl fassen kann, und leer`,
    inexact: ({ measure, why, digits }) =>
      why === 'sum'
        ? `${measure} ist mit doppelter Genauigkeit summiert: die Spalte hat mehr als 6 Nachkommastellen oder zu große Beträge`
        : `${measure}: Werte haben mehr als ${digits} Stellen und stehen als nächste Gleitkommazahl da`,
    'reversed-dates': ({ measure, rows, from, until }) => `${measure}: ${have(rows)} ${until} vor ${from} und ${are(rows)} ausgelassen`,
    'spread-fallback': ({ measure, why, dimension }) => {
      if (why === 'members') return `${measure}: Beträge, zu denen die Form nichts sagt, liegen gleich auf allem in ${dimension}`;
      return why === 'shape'
        ? `${measure}: ein Zeitraum, zu dem die Form nichts sagt, ist gleichmäßig verteilt`
        : `${measure}: ein Zeitraum ohne Arbeitstage ist gleichmäßig verteilt`;
    },
    'coarse-grain': ({ measure, grain, rows }) =>
      `${measure} liegt je ${unitText(grain)} vor und ist nicht verteilt: leer, wo ein Fenster einen Zeitraum zerteilt (${rowsText(rows)})`,
    'unfinished-period': ({ fact, grain, start, end, asOf }) =>
      `${fact} liegt je ${unitText(grain)} vor; ${start} bis ${end} ist am ${asOf} nicht vorbei und bleibt ungesehen`,
    'unknown-members': ({ fact, attribute, dimension, rows }) =>
      `${fact}: ${rows} ${rows === 1 ? 'Zeile hat einen Schlüssel' : 'Zeilen haben Schlüssel'} für ${attribute}, die ${dimension} nicht kennt; sie stehen unter (unknown)`,
    'after-as-of': ({ fact, role, asOf, rows, measure, amount }) =>
      `${fact}: ${rowsText(rows)} nach dem ${asOf} (${role}) ${are(rows)} nicht enthalten${amount === undefined ? '' : ` (${measure} ${decimalText(amount)})`}; für geplante Daten \`horizon: plan\` setzen`,
    'unused-range': ({ names }) =>
      `Fenster liegen am Stichtag: ${names.join(' und ')} ${names.length === 1 ? 'wählt' : 'wählen'} keine Zeilen aus`,
    'partial-against-whole': ({ reading }) =>
      `${reading}: vergleicht einen Teil eines Zeitraums mit einem ganzen; \`over so-far\` vergleicht gleiche Teile`,
    'unplaced-dates': ({ measure, role, rows, amount, grain }) =>
      grain === undefined
        ? `${measure} on ${role}: ${have(rows)} kein Datum ${role} und ${are(rows)} in keinem Zeitraum${amount === undefined ? '' : ` (${measure} ${decimalText(amount)})`}`
        : `${measure} on ${role}: ${have(rows)} ein Datum ${role}, das in keinem Zeitraum (${grain}) liegt`,
    alert: ({ label, heading, limits, cells }) =>
      `${label}: ${heading} ist ${limits.map(({ kind, value }) => `${LIMITS[kind]} ${decimalText(value)}`).join(' oder ')} in ${cells} ${cells === 1 ? 'Zelle' : 'Zellen'}`,
    'bad-dates': ({ fact, role, column, count }) =>
      `${fact}: ${count} ${count === 1 ? 'Wert' : 'Werte'} von ${role} (${column}) ${are(count)} kein Datum und ${count === 1 ? 'gilt' : 'gelten'} als leer`,
    'missing-rates': ({ fact, rate, role, first, count }) =>
      `${fact}: ${have(count)} kein ${rate} am Datum ${role}, zuerst am ${first}, und ${are(count)} leer in dem, was ihn nimmt`,
    'turned-bad': ({ reason, time }) => `die Daten sind fehlerhaft geworden: ${reason}; geantwortet wird aus dem Stand von ${minute(time)}`,
    'unpinned-state': ({ fact }) =>
      `die Datenbank hält keinen Stand der Tabelle von ${fact} fest: was während einer Frage geschrieben wird, kann zum Teil gesehen werden`,
    'unreadable-fact': ({ fact }) => `${fact} darf nicht gelesen werden: seine Tage zählen weder für den Kalender noch für den letzten Tag`,
  },
};
