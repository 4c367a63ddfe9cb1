// A first model of files: dates become roles, numbers measures, ids links.
import { civilOf } from '../calendar/day.ts';
import { DurchblickError } from '../errors.ts';
import { type ByteSource, sourceOf } from '../files/bytes.ts';
import { type FileSample, sampleOf } from '../files/table.ts';
import type { NumberForm } from '../model/decimal.ts';
import { type DateOrder, numberFormOf, type Profile, plainValues, profileOf } from './sniff.ts';
import { type DraftFact, type DraftLink, type DraftMeasure, type DraftModel, yamlOf } from './yaml.ts';

/** Rows to draft from: a file by its name, as the model is to write it, or a table of a database. */
export type DraftFile =
  | {
      readonly file: string;
      /** All of it, or something that parts can be read of. */
      readonly bytes: Uint8Array | ByteSource;
    }
  | { readonly table: string; readonly sample: FileSample };

export interface DraftedModel {
  /** A commented model file. */
  readonly yaml: string;
  /** What was guessed, in plain words. */
  readonly guesses: readonly string[];
}

interface Table {
  readonly file: string;
  /** How many files it is made of. */
  readonly parts: number;
  /** A table of a database, by its name. */
  readonly isTable: boolean;
  readonly name: string;
  readonly columns: readonly Profile[];
  readonly rows: number;
  /** Whether all rows were looked at, or only the first ones. */
  readonly of: 'all' | 'first';
  readonly numbers: NumberForm;
}

const RESERVED = new Set(['on', 'over', 'across', 'vs', 'as', 'period']);

/** A name as readings can use it without quotes. */
export const kebab = (text: string): string => {
  const plain = text
    .normalize('NFKD')
    .replace(/[\u0300-\u036f]/g, '')
    .replace(/([a-z0-9])([A-Z])/g, '$1-$2')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^[^a-z]+|-+$/g, '');
  const name = plain === '' ? 'x' : plain;
  return RESERVED.has(name) ? `${name}-1` : name;
};

const singular = (name: string): string =>
  name.endsWith('ies') ? `${name.slice(0, -3)}y` : /(ss|us)$/.test(name) ? name : name.replace(/s$/, '');

const unique = (wanted: string, taken: Set<string>): string => {
  let name = wanted;
  for (let k = 2; taken.has(name); k++) name = `${wanted}-${k}`;
  taken.add(name);
  return name;
};

const ID_NAME = /(^|[_\- ])(id|key|no|nr|number|code|uuid)$/i;
const isId = ({ name }: Profile): boolean => ID_NAME.test(name) || /[a-z](Id|Key|No|Nr|Code)$/.test(name);
const AMOUNT =
  /amount|total|sum|qty|quantity|pieces|units|revenue|sales|value|net|gross|cost|price|budget|target|stock|hours|weight|cents|menge|betrag|umsatz|preis|kosten|anzahl/i;
/** Numbers of documents or rows: whole ones that nearly all differ, by a name that says no amount. To add them up says nothing. */
const isNumbering = ({ name, kind, distinct, rows, blanks }: Profile): boolean =>
  kind === 'number' &&
  !AMOUNT.test(name) &&
  rows - blanks >= LEAST_NUMBERED &&
  distinct.size > (rows - blanks) * 0.95 &&
  [...distinct].every((text) => /^\d{1,15}(\.0+)?$/.test(text.trim()));
/** Of fewer rows nothing is said. */
const LEAST_NUMBERED = 20;
const isUnique = ({ distinct, rows, blanks }: Profile): boolean => blanks === 0 && rows > 0 && distinct.size === rows;
const PLAN = /budget|plan|target|forecast|goal|quota|soll/i;
const PLANNED_DATE = /promis|due|expected|planned|target|scheduled|deadline|commit/i;
const RECORDED = /load|record|snapshot|version|updated|created|as_of|captured/i;
const LEVEL = /stock|inventory|balance|level|on_hand|headcount|open_/i;
const RATE = /price|preis|rate|percent|pct|ratio|per_|unit_cost|share|margin|age|score/i;
const STARTS = /start|begin|from/i;
const ENDS = /end|until|to$|stop/i;

/** How much of a column's values another one has. */
const contained = (inner: Profile, outer: Profile): number => {
  let found = 0;
  for (const value of inner.distinct) if (outer.distinct.has(value)) found++;
  return inner.distinct.size === 0 ? 0 : found / inner.distinct.size;
};

const toldApart = (profile: Profile, order: DateOrder): Profile =>
  profile.date ? { ...profile, date: { ...profile.date, order } } : profile;

/** What is in a file, or in several of one shape: `orders-*.csv`. */
interface Sample extends FileSample {
  /** The file, the pattern, or the table. */
  readonly file: string;
  readonly isTable: boolean;
  readonly files: readonly string[];
}

/** Names that differ by digits alone, and say which part of one table a file holds. */
const stemOf = (file: string): string => file.replace(/\d+/g, '#');

/** A pattern for files whose names begin and end alike. */
const patternOf = (files: readonly string[]): string => {
  const [first] = files;
  const alike = (a: string, b: string): number => {
    let k = 0;
    while (k < a.length && a[k] === b[k]) k++;
    return k;
  };
  const reversed = (text: string): string => [...text].reverse().join('');
  // Digits that happen to be the same belong to what differs.
  const head = first.slice(0, Math.min(...files.map((file) => alike(first, file)))).replace(/\d+$/, '');
  const tail = reversed(reversed(first).slice(0, Math.min(...files.map((file) => alike(reversed(first), reversed(file)))))).replace(
    /^\d+/,
    '',
  );
  return `${head}*${tail}`;
};

const joined = (samples: readonly Sample[]): Sample => {
  const [first] = samples;
  if (samples.length === 1) return first;
  const files = samples.flatMap((sample) => sample.files);
  return {
    file: patternOf(files),
    files,
    isTable: false,
    rows: samples.reduce((sum, { rows }) => sum + rows, 0),
    of: samples.every(({ of }) => of === 'all') ? 'all' : 'first',
    columns: first.columns.map((column, k) => ({ ...column, values: samples.flatMap(({ columns }) => Array.from(columns[k].values)) })),
  };
};

/** Looks into all files; those of one shape whose names differ by digits alone are parts of one table. */
const samplesOf = async (files: readonly DraftFile[]): Promise<readonly Sample[]> => {
  const groups = new Map<string, Sample[]>();
  for (const given of files) {
    if ('table' in given) {
      groups.set(given.table, [{ ...given.sample, file: given.table, files: [given.table], isTable: true }]);
      continue;
    }
    const { file, bytes } = given;
    const sample = await sampleOf(bytes instanceof Uint8Array ? sourceOf(bytes) : bytes, file);
    const key = JSON.stringify([stemOf(file), sample.columns.map(({ name, kind }) => [name, kind])]);
    const group = groups.get(key) ?? [];
    groups.set(key, group);
    group.push({ ...sample, file, files: [file], isTable: false });
  }
  return [...groups.values()].map(joined);
};

const tableOf = ({ file, files, isTable, columns: found, rows, of }: Sample): Table => {
  const own = isTable ? file.replace(/^.*\./, '') : files.length > 1 ? file.replace(/[-_. ]*\*.*$/, '') : file.replace(/\.[^.]+$/, '');
  const name = own.replace(/^.*[/\\]/, '') || 'rows';
  const usable = found.filter(({ kind }) => kind !== 'unusable');
  const plain = usable.map((column) => [column.name, plainValues(column)] as const);
  const numbers = numberFormOf(plain.map(([, values]) => values));
  const profiles = plain.map(([column, values]) => profileOf(column, values, numbers));
  // Where day and month could be the other way round, another column of the file may tell.
  const told = new Set(profiles.flatMap(({ date }) => (date?.order && date.order !== 'either' ? [date.order] : [])));
  const [order] = told.size === 1 ? told : [];
  const columns = profiles.map((profile) =>
    order && profile.date?.order === 'either' ? toldApart(profileOf(profile.name, profile.values, numbers, order), order) : profile,
  );
  return { file, parts: files.length, isTable, name, rows, of, numbers, columns };
};

interface DimensionTable {
  readonly table: Table;
  readonly key: Profile;
  readonly name: string;
  readonly attributes: readonly { readonly name: string; readonly column: Profile }[];
}

/** A table whose key stands in another one is what that links to, whether or not it has dates of its own. */
const isLinkedTo = (table: Table, tables: readonly Table[]): boolean => {
  const key = table.columns.find((column) => isUnique(column) && column.kind !== 'date' && isId(column));
  if (!key) return false;
  const own = [kebab(key.name), `${singular(kebab(table.name))}-id`];
  return tables.some(
    (other) =>
      other !== table &&
      other.columns.some(
        (column) =>
          !isUnique(column) &&
          own.some((name) => kebab(column.name) === name || kebab(column.name).endsWith(`-${name}`)) &&
          contained(column, key) >= 0.5,
      ),
  );
};

/** Whether rows of it are something that happened: amounts stand in it, beside keys and numbers of documents. */
const hasAmounts = ({ columns }: Table): boolean =>
  columns.some((column) => column.kind === 'number' && !isId(column) && !isNumbering(column));

const dimensionOf = (table: Table, names: Set<string>): DimensionTable | undefined => {
  const ids = table.columns.filter((column) => isUnique(column) && column.kind !== 'date');
  const key = ids.find(isId) ?? ids[0];
  if (!key) return undefined;
  const name = unique(singular(kebab(table.name)), names);
  const attributes = table.columns.flatMap((column) => {
    if (column === key || column.kind !== 'text') return [];
    const own = kebab(column.name);
    return [{ name: /^(name|title|label|description)$/.test(own) ? name : own, column }];
  });
  return { table, key, name, attributes: attributes.length > 0 ? attributes : [{ name, column: key }] };
};

/** A list of named stretches of days. */
const periodsOf = (table: Table): { readonly start: Profile; readonly end: Profile | undefined; readonly label: Profile } | undefined => {
  const dates = table.columns.filter(({ kind }) => kind === 'date');
  const start = dates.find(({ name }) => STARTS.test(name));
  const end = dates.find(({ name }) => ENDS.test(name) && !STARTS.test(name));
  const label = table.columns.find((column) => column.kind === 'text');
  const only = table.columns.every(({ kind }) => kind !== 'number');
  return start && label && only && table.rows <= 1000 && isUnique(start) ? { start, end, label } : undefined;
};

/** A column of texts whose values are a dimension's keys, whatever it is called; numbers say too little for that. */
const holds = ({ key }: DimensionTable, column: Profile): boolean =>
  column.kind === 'text' && key.kind === 'text' && column.distinct.size > 2 && contained(column, key) >= 0.95;

const CODE = /^[A-Za-z]{0,5}[-_/ ]?\d{2,}$/;
/** Numbers of documents, customers and the like: codes that come back in other rows. */
const isCode = ({ kind, distinct, rows, blanks }: Profile): boolean =>
  kind === 'text' && distinct.size < (rows - blanks) * 0.9 && [...distinct].every((text) => CODE.test(text));

/** How a discount lessens an amount: as a share of it, in percent, or as an amount of its own. */
const lessDiscount = ({ name, distinct }: Profile): readonly [formula: string, words: string] => {
  const values = [...distinct].map((text) => Number(text.replace(',', '.')));
  const within = (most: number): boolean => values.every((value) => value >= 0 && value <= most);
  if (within(1) && values.some((value) => value > 0 && value < 1)) return [` * (1 - ${name})`, `, less ${name} as a share of it`];
  if (within(100) && /pct|percent|prozent/i.test(name)) return [` * (100 - ${name}) * 0.01`, `, less ${name} in percent`];
  return [` - ${name}`, `, less ${name}`];
};

/** Days of a column are all first of a month, in more than two months: it is kept by the month. */
const isMonthly = (dates: Profile): boolean => {
  const days = (dates.date?.days ?? []).filter((day) => day !== undefined);
  const months = new Set(days.map((day) => civilOf(day)).map(({ year, month }) => `${year}-${month}`));
  return months.size > 2 && days.every((day) => civilOf(day).day === 1);
};

/** Drafts a model of files: dates become roles, numbers measures, ids links. Nothing in it is certain; it says what was guessed. */
export const draftModel = async (files: readonly DraftFile[]): Promise<DraftedModel> => {
  if (files.length === 0)
    throw new DurchblickError('no-file', 'there is no file to draft a model from', { hint: 'Give CSV or Parquet files.' });
  const tables: Table[] = [];
  for (const group of await samplesOf(files)) tables.push(tableOf(group));
  const guesses: string[] = [];
  for (const { file, parts } of tables) if (parts > 1) guesses.push(`${file}: ${parts} files of one shape are one source`);
  for (const { file, rows, of } of tables) if (of === 'first') guesses.push(`${file}: only the first ${rows} rows were looked at`);
  const names = new Set<string>();
  const dimensions: DimensionTable[] = [];
  const periods: DraftModel['periods'][number][] = [];
  const factTables: Table[] = [];
  for (const table of tables) {
    const listed = periodsOf(table);
    if (listed && tables.length > 1) {
      const name = unique(singular(kebab(table.name)), names);
      periods.push({ name, source: table.name, start: listed.start.name, end: listed.end?.name, label: listed.label.name });
      guesses.push(`${table.file} lists periods: the unit "${name}"`);
    } else {
      const isDated = table.columns.some(({ kind }) => kind === 'date');
      const isLinked = isDated && isLinkedTo(table, tables);
      if (isDated && (!isLinked || hasAmounts(table))) factTables.push(table);
      if (isDated && !isLinked) continue;
      if (isLinked) guesses.push(`${table.file}: others link to its rows, so it is a dimension${hasAmounts(table) ? ' and a fact' : ''}`);
      const dimension = dimensionOf(table, names);
      if (dimension) dimensions.push(dimension);
      else guesses.push(`${table.file} has neither dates nor a key and is left out`);
    }
  }
  if (factTables.length === 0)
    throw new DurchblickError('no-dates', `no file has a column of dates: ${tables.map(({ file }) => file).join(', ')}`, {
      hint: 'A model needs rows with a date: order lines, counts, budgets. Dates are like 2026-05-20, 20260815, 15.08.2026 or 8/15/2026, with or without a time.',
    });
  const loose = new Set<string>();
  const drafting: Drafting = { dimensions, loose, names, measureNames: new Set(names), factNames: new Set(), guesses };
  const facts = factTables.map((table) => draftFact(table, drafting));
  for (const { file, numbers } of tables)
    if (numbers !== 'plain')
      guesses.push(
        `${file}: numbers are written with a decimal ${numbers}${numbers === 'point' ? ', and commas or signs of currency' : ''}`,
      );
  const zoned = tables.some(({ columns }) => columns.some(({ date }) => date?.zoned));
  if (zoned) guesses.push('timestamps have offsets: the time zone decides their day, UTC until you say otherwise');
  const model: DraftModel = {
    zoned,
    sources: tables
      .filter(
        ({ name }) =>
          facts.some(({ source }) => source === name) ||
          dimensions.some(({ table }) => table.name === name) ||
          periods.some(({ source }) => source === name),
      )
      .map(({ name, file, isTable, numbers }) => ({ name, file, isTable, numbers })),
    periods,
    dimensions: [
      ...dimensions.map(({ name, table, key, attributes }) => ({
        name,
        source: table.name,
        key: key.name,
        attributes: attributes.map((attribute) => ({ name: attribute.name, column: attribute.column.name })),
      })),
      ...[...loose].map((name) => ({ name, source: undefined, key: undefined, attributes: [] })),
    ],
    facts,
  };
  return { yaml: yamlOf(model, guesses), guesses };
};

/** A draft under way: what has been found so far, the names that are taken, and what was guessed. */
interface Drafting {
  readonly dimensions: readonly DimensionTable[];
  /** Dimensions without a table. */
  readonly loose: Set<string>;
  readonly names: Set<string>;
  readonly measureNames: Set<string>;
  readonly factNames: Set<string>;
  readonly guesses: string[];
}

const draftRoles = ({ file }: Table, dates: readonly Profile[], { guesses }: Drafting): DraftFact['roles'] => {
  const taken = new Set<string>();
  const roles = dates.map((column) => {
    const stem = kebab(column.name).replace(/-(on|at|date|day|dt|time|timestamp)$|^(date|day)-/, '');
    const name = unique(stem === '' ? 'day' : stem, taken);
    const { date } = column;
    if (date?.order === 'either')
      guesses.push(`${file}, ${column.name}: day and month could be the other way round; read as ${date.format}`);
    if (date && date.blankDates.length > 0) guesses.push(`${file}, ${column.name}: ${date.blankDates.join(', ')} stand for no date`);
    if (date && date.bad > 0)
      guesses.push(`${file}, ${column.name}: ${date.bad} ${date.bad === 1 ? 'value is' : 'values are'} no date and taken as blank`);
    return {
      name,
      column: column.name,
      format: date?.format,
      blankDates: date?.blankDates ?? [],
      badToBlank: (date?.bad ?? 0) > 0,
      plan: PLANNED_DATE.test(column.name) && dates.length > 1,
    };
  });
  for (const { name, plan } of roles) if (plan) guesses.push(`${file}: ${name} is a promise or plan, seen before its time comes`);
  return roles;
};

/** Columns whose values are keys of a dimension's table. */
const keyLinks = ({ file, columns }: Table, used: Set<Profile>, { dimensions, names, guesses }: Drafting): DraftLink[] => {
  const links: DraftLink[] = [];
  const linkable = columns.filter((column) => !used.has(column) && column.kind !== 'blank');
  for (const column of linkable) {
    const named = dimensions.find(({ key, name }) => {
      const own = kebab(column.name);
      return (own === kebab(key.name) && isId(key)) || own === `${name}-id` || own === name;
    });
    const suffixed = dimensions.find(({ key }) => kebab(column.name).endsWith(`-${kebab(key.name)}`) && isId(key));
    const holding = dimensions.find((dimension) => holds(dimension, column));
    const target = named ?? suffixed ?? holding;
    if (!target || (target.table.of === 'all' && contained(column, target.key) < 0.5)) continue;
    const isHeld = target === holding && !links.some((link) => link.part === target.name);
    if (!named && !suffixed && kebab(column.name) !== kebab(target.key.name))
      guesses.push(`${file}, ${column.name}: its values are those of ${target.key.name} in ${target.table.file}`);
    const part =
      named || isHeld
        ? target.name
        : unique(kebab(column.name).replace(new RegExp(`-${kebab(target.key.name)}$`), `-${target.name}`), names);
    const lost = 1 - contained(column, target.key);
    if (lost > 0 && target.table.of === 'all')
      guesses.push(`${file}, ${column.name}: ${Math.round(lost * 100)}% of its keys are not in ${target.table.file}`);
    links.push({ part, column: column.name, dimension: target.name, attribute: undefined });
    used.add(column);
  }
  return links;
};

/** Columns of texts: those that a dimension has as an attribute, and those that are dimensions of their own. */
const textLinks = (
  table: Table,
  used: Set<Profile>,
  found: readonly DraftLink[],
  { dimensions, loose, names, measureNames, guesses }: Drafting,
): DraftLink[] => {
  const { file, columns } = table;
  const links = [...found];
  for (const column of columns.filter((one) => !used.has(one) && one.kind === 'text')) {
    const target = dimensions
      .flatMap((dimension) => dimension.attributes.map((attribute) => ({ dimension, attribute })))
      .find(({ attribute }) => kebab(attribute.column.name) === kebab(column.name) && contained(column, attribute.column) > 0.8);
    if (target && !links.some(({ part }) => part === target.dimension.name)) {
      links.push({ part: target.dimension.name, column: column.name, dimension: target.dimension.name, attribute: target.attribute.name });
      guesses.push(`${file} is kept by ${target.attribute.name} of ${target.dimension.name}`);
      used.add(column);
    } else if (!isId(column) && column.distinct.size <= Math.max(50, table.rows / 100)) {
      const part = kebab(column.name);
      if (names.has(part) && !loose.has(part)) continue;
      names.add(part);
      measureNames.add(part);
      loose.add(part);
      links.push({ part, column: column.name, dimension: part, attribute: undefined });
      used.add(column);
    }
  }
  return links;
};

/** What a fact's measures are drafted from. */
interface Measured {
  readonly table: Table;
  readonly grain: string;
  readonly isPlan: boolean;
  /** Its amounts are counted and not added up over time. */
  readonly isLevel: boolean;
  readonly roles: DraftFact['roles'];
  readonly links: readonly DraftLink[];
  readonly amounts: readonly Profile[];
}

type AddMeasure = (wanted: string, measure: Omit<DraftMeasure, 'name'>) => void;

/** Revenue, where quantity and price stand in columns of their own. */
const draftRevenue = ({ table, amounts, roles }: Measured, add: AddMeasure, guesses: string[]): DraftFact['computed'] => {
  const { file } = table;
  const role = roles[0].name;
  const computed: { readonly name: string; readonly is: string }[] = [];
  const find = (pattern: RegExp): Profile | undefined => amounts.find(({ name }) => pattern.test(name));
  const [quantity, price, discount] = [find(/quantity|qty|units|menge/i), find(/price|preis/i), find(/discount|rabatt/i)];
  const plain = (text: string): boolean => /^[A-Za-z_][A-Za-z0-9_]*$/.test(text);
  if (quantity && price && plain(quantity.name) && plain(price.name) && !find(/^(net|amount|total|revenue|sales)$/i)) {
    const [less, words] = discount && plain(discount.name) ? lessDiscount(discount) : ['', ''];
    computed.push({ name: 'net', is: `${quantity.name} * ${price.name}${less}` });
    guesses.push(`${file}: net is ${quantity.name} times ${price.name}${words}`);
    add('revenue', { aggregate: 'sum', column: 'net', role });
  }
  return computed;
};

const draftAmounts = ({ table, amounts, grain, isPlan, isLevel: level, roles }: Measured, add: AddMeasure): void => {
  const role = roles[0].name;
  for (const column of amounts) {
    const own = kebab(column.name);
    const isRate = RATE.test(column.name);
    const name =
      (isPlan || level) && (amounts.length === 1 || /^(amount|value|total|quantity)$/.test(own)) ? singular(kebab(table.name)) : own;
    if (isRate) add(`average-${own}`, { aggregate: 'average', column: column.name, role });
    else
      add(name, {
        aggregate: 'sum',
        column: column.name,
        role,
        ...(level ? { acrossTime: 'last' } : {}),
        ...(grain === 'day' ? {} : { spread: 'even' }),
      });
  }
};

const draftCounts = ({ table, grain, isPlan, isLevel: level, roles, links }: Measured, add: AddMeasure): void => {
  const { columns } = table;
  const role = roles[0].name;
  for (const column of columns) {
    if (column.kind === 'date' || !(isId(column) || isCode(column)) || links.some((link) => link.column === column.name)) continue;
    if (column.distinct.size >= column.rows || isPlan || level) continue;
    const stem = kebab(column.name).replace(/-(id|key|no|nr|number|code)$/, '');
    add(`${stem}s`.replace(/ys$/, 'ies'), { aggregate: 'count-distinct', column: column.name, role });
  }
  if (!isPlan && !level)
    add(singular(kebab(table.name)) === kebab(table.name) ? `${kebab(table.name)}-rows` : kebab(table.name), {
      aggregate: 'count',
      column: 'rows',
      role,
    });
  const actual = roles.filter(({ plan }) => !plan);
  if (grain === 'day' && actual.length > 1)
    add(`days-${actual[0].name}-to-${actual[1].name}`, {
      aggregate: 'days-between',
      column: `${actual[0].name}/${actual[1].name}`,
      role: actual[1].name,
    });
};

/** What of a fact is a guess beside what was said of single columns. */
const guessAll = (
  { file, roles, links, measures, enters }: Pick<DraftFact, 'roles' | 'links' | 'measures' | 'enters'> & { readonly file: string },
  guesses: string[],
): void => {
  const list = (texts: readonly string[]): string => texts.join(', ');
  guesses.push(
    `${file}: dates are ${list(roles.map(({ name, column }) => `${name} (${column})`))}${enters === undefined ? '' : `; a row exists from ${enters} on`}`,
  );
  if (links.length > 0)
    guesses.push(
      `${file}: split by ${list(links.map(({ part, column, attribute, dimension }) => `${attribute === undefined ? part : `${dimension}.${attribute}`} (${column})`))}`,
    );
  const of = (kinds: readonly DraftMeasure['aggregate'][]): readonly string[] =>
    measures.filter(({ aggregate }) => kinds.includes(aggregate)).map(({ name }) => name);
  const said = [
    ['added up', of(['sum'])],
    ['averaged', of(['average', 'days-between'])],
    ['counted', of(['count', 'count-distinct'])],
  ] as const;
  const words = said
    .filter(([, names]) => names.length > 0)
    .map(([what, names]) => `${list(names)} ${names.length === 1 ? 'is' : 'are'} ${what}`);
  if (words.length > 0) guesses.push(`${file}: ${words.join('; ')}`);
};

const draftFact = (table: Table, drafting: Drafting): DraftFact => {
  const { file, columns } = table;
  const { guesses, measureNames, factNames } = drafting;
  const isPlan = PLAN.test(table.name);
  const allDates = columns.filter(({ kind }) => kind === 'date');
  const recorded = isPlan && allDates.length > 1 ? allDates.find(({ name }) => RECORDED.test(name)) : undefined;
  const dates = allDates.filter((column) => column !== recorded);
  const first = dates[0];
  const coarse = first.date?.grain !== 'day' ? first.date?.grain : isMonthly(first) && (isPlan || dates.length === 1) ? 'month' : undefined;
  const grain = coarse ?? 'day';
  if (grain !== 'day') guesses.push(`${file} is kept by the ${grain}`);
  if (isPlan) guesses.push(`${file} holds a plan, seen before its time comes`);
  const roles = draftRoles(table, dates, drafting);
  const used = new Set<Profile>(allDates);
  const links = textLinks(table, used, keyLinks(table, used, drafting), drafting);
  const isLevel = LEVEL.test(table.name) && !isPlan;
  if (isLevel) guesses.push(`${file} counts a level: over time the last count is shown, not the sum`);
  const numbers = columns.filter((column) => column.kind === 'number' && !used.has(column));
  const amounts = numbers.filter(
    (column) => !isId(column) && !isNumbering(column) && !/^(row|line)[_-]?(no|nr|number)?$/i.test(column.name),
  );
  for (const column of numbers)
    if (!amounts.includes(column)) guesses.push(`${file}, ${column.name}: a key or number of something, and not added up`);
  const measures: DraftMeasure[] = [];
  const add: AddMeasure = (wanted, measure) => void measures.push({ ...measure, name: unique(wanted, measureNames) });
  const measured: Measured = { table, grain, isPlan, isLevel, roles, links, amounts };
  const computed = draftRevenue(measured, add, guesses);
  draftAmounts(measured, add);
  draftCounts(measured, add);
  const actual = roles.filter(({ plan }) => !plan);
  guessAll({ file, roles, links, measures, enters: grain === 'day' && actual.length > 1 ? actual[0].name : undefined }, guesses);
  return {
    name: unique(kebab(table.name), factNames),
    source: table.name,
    grain,
    plan: isPlan,
    enters: grain === 'day' && actual.length > 1 ? actual[0].name : undefined,
    roles,
    links,
    computed,
    recorded: recorded?.name,
    versionKey: recorded ? [first.name, ...links.map(({ column }) => column)] : [],
    measures,
  };
};
