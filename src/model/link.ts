import { type CalendarOptions, calendar, type NameSet, parseWorkingWeek, unitNames } from '../calendar/calendar.ts';
import { datePattern } from '../calendar/dates.ts';
import { parseIsoDay, type Weekday } from '../calendar/day.ts';
import { suggest } from '../errors.ts';
import { parseReading } from '../language/parse.ts';
import type { Expression } from '../language/syntax.ts';
import { parseShift, parseWindow, type Shift } from '../windows/syntax.ts';
import { builtInWindows } from './builtin.ts';
import { columnsIn } from './columns.ts';
import { collectFaults, type Faults } from './faults.ts';
import { checked, type Locate, type Path } from './keys.ts';
import type {
  Aggregate,
  Attribute,
  Band,
  Comparison,
  Dimension,
  Fact,
  Formula,
  Link,
  Measure,
  Model,
  NamedWindow,
  Role,
  Source,
} from './model.ts';
import { type FactInput, type FormatInput, type MeasureInput, type ModelInput, modelSchema, type YearSystemInput } from './schema.ts';

export const systemKind = (system: YearSystemInput): 'months' | 'weeks' | 'listed' =>
  system.pattern !== undefined || system.ends !== undefined
    ? 'weeks'
    : system.table !== undefined || system.years !== undefined
      ? 'listed'
      : 'months';

const checkSystem = (name: string, system: YearSystemInput, faults: Faults): void => {
  const path = ['calendar', 'yearSystems', name];
  const listed = system.table !== undefined || system.years !== undefined;
  if (listed && (system.pattern !== undefined || system.ends !== undefined || system.starts !== undefined)) {
    faults.add(
      path,
      'contradiction',
      `year system "${name}" has both a rule and a list of years`,
      'Keep `starts`, or `pattern` with `ends`, or `years`, or `table`.',
    );
  } else if (system.table !== undefined && system.years !== undefined) {
    faults.add(path, 'contradiction', `year system "${name}" has both a table and a list of years`, 'Keep one of them.');
  } else if (system.starts !== undefined && (system.pattern !== undefined || system.ends !== undefined)) {
    faults.add(
      path,
      'contradiction',
      `year system "${name}" is both of months (starts) and of weeks (pattern, ends)`,
      'Keep `starts`, or `pattern` with `ends`.',
    );
  } else if ((system.pattern === undefined) !== (system.ends === undefined)) {
    faults.add(
      path,
      'contradiction',
      `year system "${name}" has ${system.pattern ? 'a pattern without an end' : 'an end without a pattern'}`,
      'Weeks need both, for example `pattern: 4-4-5` and `ends: last saturday of january`.',
    );
  } else if (!listed && system.starts === undefined && system.pattern === undefined) {
    faults.add(
      path,
      'contradiction',
      `year system "${name}" has no rule`,
      'Give it `starts: --07-01`, or `pattern` with `ends`, or `years`, or `table`.',
    );
  } else if (system.table !== undefined && (system.start === undefined || system.label === undefined)) {
    faults.add(
      path,
      'missing-key',
      `year system "${name}" needs the columns of start and label`,
      'For example `{ table: fiscal_years, start: starts_on, label: name }`.',
    );
  }
};

/** Tries every rule of the calendar on one year, so that a wrong one is told with its line. */
const checkCalendarRules = (input: NonNullable<ModelInput['calendar']>, faults: Faults): void => {
  const year = { from: '2024-01-01', to: '2024-12-31' };
  for (const [name, { starts, pattern, ends, numberBy, label }] of Object.entries(input.yearSystems ?? {})) {
    const system =
      starts !== undefined
        ? { starts, numberBy, label }
        : pattern !== undefined && ends !== undefined
          ? { pattern, ends, numberBy, label }
          : undefined;
    if (system) faults.attempt(['calendar', 'yearSystems', name], () => calendar({ ...year, yearSystems: { [name]: system } }));
  }
  const { week } = input;
  if (typeof week === 'object')
    faults.attempt(['calendar', 'week'], () => calendar({ ...year, week: { starts: week.starts as Weekday, minDays: week.minDays } }));
  const working = input.workingDays?.week;
  if (working !== undefined) faults.attempt(['calendar', 'workingDays', 'week'], () => parseWorkingWeek(working));
  for (const set of Object.keys(input.names ?? {}) as NameSet[]) {
    faults.attempt(['calendar', 'names', set], () => calendar({ ...year, names: input.names as CalendarOptions['names'] }).name(set, 0));
  }
};

const AGGREGATES = ['sum', 'count', 'countDistinct', 'average', 'min', 'max', 'daysBetween'] as const;

const pair = (text: string): [string, string] | undefined => {
  const parts = text.split('/').map((part) => part.trim());
  return parts.length === 2 && parts[0] !== '' && parts[1] !== '' ? [parts[0], parts[1]] : undefined;
};

const linkMeasure = (name: string, input: MeasureInput, fact: Fact, path: Path, faults: Faults): Measure | undefined => {
  const given = AGGREGATES.filter((key) => input[key] !== undefined);
  const wanted = 'A measure has one of sum, count, count-distinct, average, min, max, days-between.';
  if (given.length !== 1) {
    faults.add(
      path,
      'bad-measure',
      given.length === 0 ? `measure "${name}" has no aggregate` : `measure "${name}" has ${given.length} aggregates`,
      wanted,
    );
    return undefined;
  }
  const roles = [...fact.roles.keys()];
  const roleOf = (text: string, at: Path): string | undefined => {
    if (fact.roles.has(text)) return text;
    faults.add(at, 'unknown-role', `fact "${fact.name}" has no date "${text}"`, suggest(text, roles, 'dates'));
    return undefined;
  };
  const rolePair = (text: string, at: Path): { from: string; until: string } | undefined => {
    const both = pair(text);
    if (!both) {
      faults.add(at, 'bad-roles', `"${text}" does not name two dates`, 'Write from/until, for example ordered/shipped.');
      return undefined;
    }
    const [from, until] = [roleOf(both[0], at), roleOf(both[1], at)];
    return from && until ? { from, until } : undefined;
  };
  const key = given[0];
  let aggregate: Aggregate;
  if (key === 'daysBetween') {
    const both = rolePair(input.daysBetween as string, [...path, key]);
    if (!both) return undefined;
    aggregate = { kind: 'days-between', ...both, days: input.workingDays ? 'working' : 'all' };
  } else if (key === 'count') {
    aggregate = { kind: 'count', column: input.count === 'rows' ? undefined : input.count };
  } else {
    aggregate = { kind: key === 'countDistinct' ? 'count-distinct' : key, column: input[key] as string };
  }
  const open = input.open === undefined ? undefined : rolePair(input.open, [...path, 'open']);
  if (input.open !== undefined && !open) return undefined;
  const additive = aggregate.kind === 'sum' || aggregate.kind === 'count';
  const refuse = (condition: boolean, at: string, message: string, hint: string): void => {
    if (condition) faults.add([...path, at], 'bad-measure', `measure "${name}": ${message}`, hint);
  };
  refuse(open !== undefined && !additive, 'open', 'only a sum or a count can be open', 'Use sum or count (M5).');
  refuse(
    open !== undefined && input.acrossTime !== undefined,
    'acrossTime',
    'a level that is open is already read at the last day',
    'Leave `across-time` out.',
  );
  refuse(
    input.acrossTime !== undefined && !additive,
    'acrossTime',
    'only a sum or a count has an aggregate across time',
    'Use sum or count (M4).',
  );
  refuse(input.workingDays !== undefined && key !== 'daysBetween', 'workingDays', 'working-days belongs to days-between', 'Leave it out.');
  refuse(
    input.spread !== undefined && input.spread !== 'none' && !additive,
    'spread',
    'only sum and count spread (G3)',
    'Leave `spread` out.',
  );
  refuse(
    input.spreadAcross !== undefined && (!additive || open !== undefined || input.acrossTime !== undefined),
    'spreadAcross',
    'only sum and count that add up spread across members (G6)',
    'Leave `spread-across` out.',
  );
  let role = input.role ?? open?.from;
  if (role !== undefined) role = roleOf(role, [...path, 'role']);
  else if (roles.length === 1) [role] = roles;
  else {
    faults.add(path, 'missing-role', `measure "${name}" does not say by which date it counts`, `Give it a role: ${roles.join(', ')} (M1).`);
    return undefined;
  }
  if (role === undefined) return undefined;
  return {
    name,
    fact,
    aggregate,
    role,
    open,
    where: input.where,
    acrossTime: input.acrossTime,
    empty: input.empty,
    spread: input.spread ?? 'none',
    spreadAcross: new Map(Object.entries(input.spreadAcross ?? {})),
    unrelated: input.unrelated ?? 'error',
    format: input.format,
    better: input.better,
    label: input.label,
  };
};

/** A date format that gives no day is told where it is written, whatever the column holds. */
const checkedDateFormat = (format: string | undefined, path: Path, faults: Faults): string | undefined => {
  if (format !== undefined) faults.attempt(path, () => datePattern(format));
  return format;
};

const DEEPEST_COLUMNS = 50;

/** Computed columns may use each other, but none itself, by whatever way. */
const checkColumns = (fact: string, columns: ReadonlyMap<string, Expression>, faults: Faults): void => {
  const settled = new Set<string>();
  const visit = (column: string, way: readonly string[]): void => {
    const at = way.indexOf(column);
    if (at >= 0) {
      const circle = [...way.slice(at), column].join(' → ');
      faults.add(
        ['facts', fact, 'columns', column],
        'circular-column',
        `the column "${column}" refers to itself`,
        at === way.length - 1 ? 'A computed column needs a name of its own beside the column of the source.' : `By way of ${circle}.`,
      );
    }
    if (at >= 0 || settled.has(column)) return;
    if (way.length > DEEPEST_COLUMNS)
      faults.add(
        ['facts', fact, 'columns', column],
        'too-long-reading',
        `more than ${DEEPEST_COLUMNS} computed columns are made of each other`,
        'Compute some of them in the source.',
      );
    if (way.length > DEEPEST_COLUMNS) return;
    for (const other of columnsIn(columns.get(column) as Expression)) if (columns.has(other)) visit(other, [...way, column]);
    settled.add(column);
  };
  for (const column of columns.keys()) visit(column, []);
};

/** A format that `Intl.NumberFormat` does not take is told where it is written. */
const checkFormat = (format: FormatInput | undefined, path: Path, faults: Faults): void => {
  if (format === undefined) return;
  try {
    new Intl.NumberFormat('en', format as Intl.NumberFormatOptions).format(1);
  } catch (error) {
    faults.add(
      [...path, 'format'],
      'bad-format',
      `numbers cannot be written so: ${(error as Error).message}`,
      'It takes the options of Intl.NumberFormat, for example { style: currency, currency: EUR, maximumFractionDigits: 0 }.',
    );
  }
};

const linkFact = (
  name: string,
  input: FactInput,
  model: Pick<Model, 'sources' | 'units'> & { dimensions: Map<string, Dimension>; parts: Map<string, Dimension> },
  faults: Faults,
): Fact => {
  const path = ['facts', name];
  if (!model.sources.has(input.source)) {
    faults.add(
      [...path, 'source'],
      'unknown-source',
      `there is no source "${input.source}"`,
      suggest(input.source, model.sources.keys(), 'sources'),
    );
  }
  const grain = input.grain ?? 'day';
  if (!model.units.includes(grain))
    faults.add([...path, 'grain'], 'unknown-unit', `there is no unit "${grain}"`, suggest(grain, model.units, 'units'));
  const horizon = input.horizon ?? 'actual';
  const roles = new Map<string, Role>();
  for (const [role, date] of Object.entries(input.dates)) {
    const parts: Exclude<typeof date, string> = typeof date === 'string' ? { column: date } : date;
    roles.set(role, {
      name: role,
      column: parts.column,
      horizon: parts.horizon ?? horizon,
      format: checkedDateFormat(parts.format, [...path, 'dates', role, 'format'], faults),
      onBadDate: parts.onBadDate ?? 'error',
      blankDates: (parts.blankDates ?? []).map(String),
    });
  }
  if (roles.size === 0)
    faults.add(
      [...path, 'dates'],
      'missing-date',
      `fact "${name}" has no date`,
      'Every fact needs at least one, for example `ordered: ordered_on`.',
    );
  if (input.enters !== undefined && !roles.has(input.enters)) {
    faults.add(
      [...path, 'enters'],
      'unknown-role',
      `fact "${name}" has no date "${input.enters}"`,
      suggest(input.enters, roles.keys(), 'dates'),
    );
  }
  const begins = input.begins === undefined ? undefined : parseIsoDay(input.begins);
  if (input.begins !== undefined && begins === undefined)
    faults.add([...path, 'begins'], 'bad-date', `"${input.begins}" is not a date`, 'Write YYYY-MM-DD.');
  const columns = new Map<string, Expression>();
  for (const [column, text] of Object.entries(input.columns ?? {})) {
    const expression = faults.attempt([...path, 'columns', column], () => parseReading(text, 'column'));
    if (expression) columns.set(column, expression);
  }
  checkColumns(name, columns, faults);
  const links: Link[] = [];
  for (const [written, link] of Object.entries(input.links ?? {})) {
    const at = [...path, 'links', written];
    const [part, attribute] = typeof link === 'string' ? written.split('.') : [written];
    const dimensionName = typeof link === 'string' ? part : link.dimension;
    const dimension = model.dimensions.get(dimensionName);
    if (!dimension) {
      faults.add(
        at,
        'unknown-dimension',
        `there is no dimension "${dimensionName}"`,
        suggest(dimensionName, model.dimensions.keys(), 'dimensions'),
      );
      continue;
    }
    if (attribute !== undefined && !dimension.attributes.has(attribute)) {
      faults.add(
        at,
        'unknown-attribute',
        `dimension "${dimensionName}" has no attribute "${attribute}"`,
        suggest(attribute, dimension.attributes.keys(), 'attributes'),
      );
      continue;
    }
    const known = model.parts.get(part);
    if (known && known !== dimension) {
      faults.add(at, 'doubled-part', `"${part}" stands for dimension "${known.name}" elsewhere`, 'Give this part another name.');
      continue;
    }
    model.parts.set(part, dimension);
    links.push({ part, dimension, attribute, column: typeof link === 'string' ? link : link.column });
  }
  const bands = new Map<string, Band>();
  for (const [band, { of, starts }] of Object.entries(input.bands ?? {})) {
    const rows = Object.entries(starts).sort((a, b) => a[1] - b[1]);
    if (rows.length === 0)
      faults.add([...path, 'bands', band, 'starts'], 'bad-band', `band "${band}" has no starts`, 'For example `{ small: 0, large: 500 }`.');
    rows.forEach((row, i) => {
      if (i > 0 && row[1] === rows[i - 1][1])
        faults.add(
          [...path, 'bands', band, 'starts', row[0]],
          'bad-band',
          `"${rows[i - 1][0]}" and "${row[0]}" start at the same value`,
          'Every start may stand once.',
        );
    });
    bands.set(band, { name: band, of, labels: rows.map((row) => row[0]), starts: rows.map((row) => row[1]) });
  }
  if ((input.recorded === undefined) !== (input.versionKey === undefined)) {
    faults.add(
      path,
      'bad-versions',
      `fact "${name}" has ${input.recorded ? '`recorded` without `version-key`' : '`version-key` without `recorded`'}`,
      'Versions need both (G7).',
    );
  }
  return {
    name,
    source: input.source,
    grain,
    horizon,
    enters: input.enters,
    begins,
    openTo: input.openTo,
    roles,
    columns,
    links,
    bands,
    recorded: input.recorded,
    versionKey: input.versionKey ?? [],
  };
};

const linkDimension = (
  name: string,
  input: NonNullable<ModelInput['dimensions']>[string],
  sources: ReadonlyMap<string, Source>,
  faults: Faults,
): Dimension => {
  const path = ['dimensions', name];
  if (input.source !== undefined && !sources.has(input.source)) {
    faults.add(
      [...path, 'source'],
      'unknown-source',
      `there is no source "${input.source}"`,
      suggest(input.source, sources.keys(), 'sources'),
    );
  }
  if (input.source !== undefined && input.key === undefined)
    faults.add(
      path,
      'missing-key',
      `dimension "${name}" has a source but no key`,
      'Name the column that facts link to, as in `key: product_id`.',
    );
  if (input.source === undefined && (input.key ?? input.attributes) !== undefined)
    faults.add(
      path,
      'contradiction',
      `dimension "${name}" has ${input.key ? 'a key' : 'attributes'} but no source`,
      'Name the source, or leave both out.',
    );
  const attributes = new Map<string, Attribute>();
  for (const [attribute, column] of Object.entries(input.attributes ?? {})) {
    attributes.set(
      attribute,
      typeof column === 'string'
        ? { name: attribute, column, order: undefined }
        : { name: attribute, column: column.column, order: column.order },
    );
  }
  if (input.source === undefined) attributes.set(name, { name, column: name, order: undefined });
  else if (attributes.size === 0 && input.key !== undefined) attributes.set(name, { name, column: input.key, order: undefined });
  return { name, source: input.source, key: input.key, attributes };
};

const linkSource = (name: string, input: NonNullable<ModelInput['sources']>[string], faults: Faults): Source => {
  const given = (['file', 'table', 'query'] as const).filter((key) => input[key] !== undefined);
  if (given.length > 1)
    faults.add(['sources', name], 'contradiction', `source "${name}" has ${given.join(' and ')}`, 'A source is one of them.');
  const numbers = input.decimal ?? 'plain';
  if (input.file !== undefined) return { kind: 'file', name, numbers, file: input.file };
  if (input.table !== undefined) return { kind: 'table', name, numbers, table: input.table };
  if (input.query !== undefined) return { kind: 'query', name, numbers, query: input.query };
  return { kind: 'given', name, numbers };
};

/** Sources that facts and dimensions name but the model does not list are given to the engine by name. */
const withGivenSources = (input: ModelInput): Map<string, Source | undefined> => {
  const names =
    input.sources === undefined
      ? [...Object.values(input.facts), ...Object.values(input.dimensions ?? {})].flatMap((user) => user.source ?? [])
      : [];
  return new Map(names.map((name) => [name, { kind: 'given', name, numbers: 'plain' } as Source]));
};

const NAME = /^[a-z][a-z0-9-]*$/;

/**
 * Checks a model as written and resolves its names. Throws one error that carries all faults in `all`.
 * `locate` finds lines in the file it came from; without it places are paths.
 */
export const linkModel = (written: unknown, locate: Locate = () => undefined): Model => {
  const input = checked(modelSchema, written, 'model', locate) as ModelInput;
  const faults = collectFaults(locate);
  const rules = input.calendar ?? {};
  for (const [name, system] of Object.entries(rules.yearSystems ?? {})) checkSystem(name, system, faults);
  if (faults.list.length === 0) checkCalendarRules(rules, faults);
  const kinds = Object.fromEntries(Object.entries(rules.yearSystems ?? {}).map(([name, system]) => [name, systemKind(system)]));
  const custom = Object.keys(rules.periods ?? {});
  const standard = unitNames(kinds, []);
  for (const name of custom) {
    if (standard.includes(name) || name === 'period')
      faults.add(['calendar', 'periods', name], 'doubled-unit', `there is already a unit "${name}"`, 'Give the custom unit another name.');
  }
  const units = [...standard, ...custom];

  const sources = new Map<string, Source>();
  for (const [name, source] of withGivenSources(input)) if (source) sources.set(name, source);
  for (const [name, source] of Object.entries(input.sources ?? {})) sources.set(name, linkSource(name, source, faults));
  const dimensions = new Map<string, Dimension>();
  for (const [name, dimension] of Object.entries(input.dimensions ?? {}))
    dimensions.set(name, linkDimension(name, dimension, sources, faults));
  const parts = new Map<string, Dimension>(dimensions);

  const facts = new Map<string, Fact>();
  const measures = new Map<string, Measure>();
  const taken = new Map<string, string>([
    ['days', 'built in'],
    ['working-days', 'built in'],
  ]);
  const take = (name: string, what: string, path: Path): boolean => {
    const before = taken.get(name);
    if (before !== undefined)
      faults.add(
        path,
        'doubled-name',
        `"${name}" is already the name of a measure or formula (${before})`,
        'Measures and formulas share one set of names.',
      );
    else taken.set(name, what);
    return before === undefined;
  };
  for (const [name, fact] of Object.entries(input.facts)) {
    const linked = linkFact(name, fact, { sources, units, dimensions, parts }, faults);
    facts.set(name, linked);
    for (const [measureName, measure] of Object.entries(fact.measures)) {
      const path = ['facts', name, 'measures', measureName];
      checkFormat(measure.format, path, faults);
      const made = linkMeasure(measureName, measure, linked, path, faults);
      if (take(measureName, `in fact "${name}"`, path) && made) measures.set(measureName, made);
    }
  }

  const formulas = new Map<string, Formula>();
  for (const [name, formula] of Object.entries(input.formulas ?? {})) {
    const path = ['formulas', name];
    const {
      is: text,
      format,
      better,
      label,
    } = typeof formula === 'string' ? { is: formula, format: undefined, better: undefined, label: undefined } : formula;
    checkFormat(format, path, faults);
    const expression = faults.attempt(path, () => parseReading(text));
    if (take(name, 'a formula', path) && expression) formulas.set(name, { name, text, expression, format, better, label });
  }

  const windows = new Map<string, NamedWindow>();
  const addWindow = (
    name: string,
    text: string,
    path: Path,
    parts: Pick<NamedWindow, 'label' | 'full' | 'builtIn'>,
    previousText?: string,
  ): void => {
    const window = faults.attempt(path, () => parseWindow(text, units));
    const previous = previousText === undefined ? undefined : faults.attempt([...path, 'previous'], () => parseShift(previousText, units));
    if (window) windows.set(name, { name, text, window, previous, ...parts });
  };
  const systems = Object.entries(kinds).map(([name, kind]) => ({ name, kind }));
  for (const [name, text] of builtInWindows(systems, custom))
    addWindow(name, text, ['windows', name], { label: undefined, full: false, builtIn: true });
  for (const [name, window] of Object.entries(input.windows ?? {})) {
    if (window === false) {
      if (!windows.delete(name))
        faults.add(
          ['windows', name],
          'unknown-window',
          `there is no built-in window "${name}" to hide`,
          suggest(name, windows.keys(), 'windows'),
        );
      continue;
    }
    const path = ['windows', name];
    const made = typeof window === 'string' ? { is: window } : window;
    addWindow(name, made.is, path, { label: made.label, full: made.full ?? false, builtIn: false }, made.previous);
  }

  const comparisons = new Map<string, Comparison>([
    ['previous', { name: 'previous', shift: { kind: 'previous' }, match: 'elapsed', label: undefined }],
    ['year-earlier', { name: 'year-earlier', shift: { kind: 'year-earlier' }, match: 'elapsed', label: undefined }],
  ]);
  for (const [name, comparison] of Object.entries(input.comparisons ?? {})) {
    const path = ['comparisons', name];
    const made: Exclude<typeof comparison, string> = typeof comparison === 'string' ? { shift: comparison } : comparison;
    if ((made.shift === undefined) === (made.base === undefined)) {
      faults.add(
        path,
        'bad-comparison',
        `comparison "${name}" needs either a shift or a base`,
        'For example `{ shift: -P1Y }` or `{ base: 2026-01 }`.',
      );
      continue;
    }
    const shift: Shift | undefined =
      made.base !== undefined
        ? { kind: 'base', period: String(made.base) }
        : faults.attempt([...path, ...(typeof comparison === 'string' ? [] : ['shift'])], () => namedShift(made.shift as string, units));
    if (shift) comparisons.set(name, { name, shift, match: made.match ?? 'elapsed', label: made.label });
  }
  for (const [group, names] of [
    ['windows', windows],
    ['comparisons', comparisons],
    ['facts', facts],
  ] as const) {
    for (const name of names.keys()) {
      if (!NAME.test(name) && name.includes('"'))
        faults.add([group, name], 'bad-name', `the name "${name}" has a double quote in it`, 'Use small letters, digits and hyphens.');
    }
  }
  checkLocale(input, faults);
  faults.end();
  return {
    input,
    name: input.name ?? 'model',
    timeZone: input.timeZone ?? 'UTC',
    locale: input.locale ?? 'en',
    asOf: input.asOf ?? 'latest',
    units,
    sources,
    dimensions,
    facts,
    measures,
    formulas,
    windows,
    comparisons,
    alerts: new Map(Object.entries(input.alerts ?? {})),
    parts,
    locate,
  };
};

/** A shift by name or text: `previous`, `year-earlier`, `-P1Y`, `-1 week-year`. */
const namedShift = (text: string, units: readonly string[]): Shift =>
  text === 'previous' || text === 'year-earlier' ? { kind: text } : parseShift(text, units);

const checkLocale = (input: ModelInput, faults: Faults): void => {
  try {
    if (input.locale !== undefined) Intl.getCanonicalLocales(input.locale);
  } catch {
    faults.add(['locale'], 'bad-locale', `"${input.locale}" is not a locale`, 'Locales are BCP 47 tags, for example en-GB or de-DE.');
  }
  try {
    new Intl.DateTimeFormat('en', { timeZone: input.timeZone ?? 'UTC' });
  } catch {
    faults.add(
      ['timeZone'],
      'bad-time-zone',
      `"${input.timeZone}" is not a time zone`,
      'Time zones are IANA names, for example Europe/Berlin.',
    );
  }
};
