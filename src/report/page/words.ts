// What the page of a report says, in its languages.

export interface PageWords {
  readonly unit: string;
  readonly window: string;
  readonly comparison: string;
  readonly asOf: string;
  readonly asAsked: string;
  readonly all: string;
  readonly language: string;
  readonly close: string;
  readonly byDay: string;
  readonly made: (made: string, state: string | undefined, print: string) => string;
}

const EN: PageWords = {
  unit: 'Unit',
  window: 'Window',
  comparison: 'Held against',
  asOf: 'As of',
  asAsked: 'as asked',
  all: 'all',
  language: 'Language',
  close: 'Close',
  byDay: 'Day by day',
  made: (made, state, print) =>
    `Made ${made}${state === undefined ? '' : `, of the data as they were ${state}`} (state ${print}). It holds sums by day, and no rows.`,
};

const DE: PageWords = {
  unit: 'Einheit',
  window: 'Zeitraum',
  comparison: 'Verglichen mit',
  asOf: 'Stand',
  asAsked: 'wie gefragt',
  all: 'alle',
  language: 'Sprache',
  close: 'Schließen',
  byDay: 'Tag für Tag',
  made: (made, state, print) =>
    `Erstellt ${made}${state === undefined ? '' : `, aus den Daten vom ${state}`} (Stand ${print}). Enthält Summen nach Tagen und keine Zeilen.`,
};

export const pageWords = (locale: string): PageWords => (locale.toLowerCase().startsWith('de') ? DE : EN);
