// Sentences with places to fill in: what measures are, how they add up, and what pages about a model say.

/** What is said of a measure, a definition or a page; `{…}` is filled in. */
export interface Phrases {
  // What a measure aggregates.
  readonly sum: string;
  readonly average: string;
  readonly min: string;
  readonly max: string;
  readonly count: string;
  readonly countOf: string;
  readonly distinct: string;
  readonly median: string;
  readonly percentile: string;
  readonly firstTime: string;
  readonly averageOf: string;
  readonly daysBetween: string;
  readonly workingDaysBetween: string;
  readonly overTime: string;
  readonly open: string;
  // Which day an aggregate across time takes (M4).
  readonly last: string;
  readonly lastKnown: string;
  readonly first: string;
  readonly mean: string;
  readonly least: string;
  readonly greatest: string;
  // Over which rows, by which date.
  readonly over: string;
  readonly where: string;
  readonly byDay: string;
  readonly byPlan: string;
  // How numbers add up.
  readonly addsUp: string;
  readonly addsOverMembers: string;
  readonly addsNowhere: string;
  readonly addsOverTime: string;
  readonly keptBy: string;
  readonly spreadEven: string;
  readonly spreadWorkingDays: string;
  readonly spreadLike: string;
  readonly spreadNone: string;
  readonly spreadAcross: string;
  readonly unrelatedBlank: string;
  readonly unrelatedRepeat: string;
  // Filters.
  readonly isOneOf: string;
  readonly isNot: string;
  readonly isBetween: string;
  readonly and: string;
  readonly or: string;
  // Headings and small words of pages.
  readonly dictionary: string;
  readonly search: string;
  readonly nothingFound: string;
  readonly measures: string;
  readonly formulas: string;
  readonly windows: string;
  readonly comparisons: string;
  readonly attributes: string;
  readonly facts: string;
  readonly sources: string;
  readonly calendar: string;
  readonly alerts: string;
  readonly figures: string;
  readonly questions: string;
  readonly owner: string;
  readonly written: string;
  readonly from: string;
  readonly usedIn: string;
  readonly better: string;
  readonly higher: string;
  readonly lower: string;
  readonly rows: string;
  readonly dates: string;
  readonly year: string;
  readonly begins: string;
  readonly ends: string;
  readonly length: string;
  readonly workingDays: string;
  readonly noDay: string;
  readonly against: string;
  readonly builtIn: string;
  readonly of: string;
  readonly weekStarts: string;
  readonly timeZone: string;
  readonly vouched: string;
}

/** Fills the places of a phrase. */
export const filled = (phrase: string, values: Readonly<Record<string, string | number>>): string =>
  phrase.replace(/\{(\w+)\}/g, (_, name: string) => String(values[name] ?? ''));

/** An instant (ms since 1970) to the minute, in UTC: the same in every language. */
export const minute = (time: number): string => `${new Date(time).toISOString().slice(0, 16).replace('T', ' ')} UTC`;
