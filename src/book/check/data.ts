// Findings about the data: days far from all others, gaps, dates in the wrong order.
import { compareTexts } from '../../basics/text.ts';
import { type Day, isoOf } from '../../calendar/day.ts';
import type { Store } from '../../engines/engine.ts';
import { attributeOfLink, NONE, UNKNOWN } from '../../model/attributes.ts';
import type { Fact, Model, Role } from '../../model/model.ts';
import type { Bounds, Filter } from '../../plan/request.ts';
import { ALL_TIME, equalSegments } from '../../plan/segments.ts';
import { noteText, wordsOf } from '../../words/words.ts';
import { EXAMPLES, type Finding, rowsText, verb } from './finding.ts';

/** Days that a role's rows lie on, and how many on each. */
type DayCounts = readonly (readonly [day: Day, rows: number])[];

const MOST_DAYS = 40_000;

const dayCounts = async (
  store: Store,
  fact: Fact,
  role: string,
  bounds: Bounds | undefined,
): Promise<{ readonly counts: DayCounts; readonly step: number }> => {
  if (!bounds) return { counts: [], step: 1 };
  const length = bounds.last - bounds.first + 1;
  // Where days reach from one end of time to the other, weeks, months or years of them tell as much.
  const step = Math.ceil(length / MOST_DAYS);
  const segments = equalSegments(bounds, step);
  const rowSet = { fact, role, attributes: [], filters: [], knownBy: undefined };
  const [cube] = await store.cubes([{ ...rowSet, segments, aggregates: [{ kind: 'rows', where: [] }] }]);
  const counts = Array.from(segments.starts, (start, k) => [start, cube.tuples.length === 0 ? 0 : cube.columns[0].cells[k]] as const);
  return { counts: counts.filter(([, rows]) => rows > 0), step };
};

const rowsWith = async (store: Store, fact: Fact, filters: readonly Filter[]): Promise<number> => {
  const rowSet = { fact, role: undefined, attributes: [], filters, knownBy: undefined };
  const [cube] = await store.cubes([{ ...rowSet, segments: ALL_TIME, aggregates: [{ kind: 'rows', where: [] }] }]);
  return cube.columns[0].cells.reduce((sum, rows) => sum + rows, 0);
};

/** Values of a column in some rows with a date. */
const examplesOf = async (
  store: Store,
  fact: Fact,
  column: string,
  filters: readonly Filter[],
  bounds: Bounds | undefined,
): Promise<string[]> => {
  const [role] = fact.roles.keys();
  if (!bounds) return [];
  const { columns, first } = await store.sample({
    fact,
    role,
    filters,
    knownBy: undefined,
    first: bounds.first,
    last: bounds.last,
    limit: 50,
  });
  const at = columns.indexOf(column);
  return [...new Set(first.map((row) => String(row[at] ?? '')))].filter((text) => text !== '').slice(0, EXAMPLES);
};

const linkFindings = async (store: Store, fact: Fact, model: Model, bounds: Bounds | undefined): Promise<Finding[]> => {
  const found: Finding[] = [];
  for (const link of fact.links) {
    const attribute = attributeOfLink(link);
    if (!attribute || store.unreadable?.has(link.dimension.source ?? '')) continue;
    const place = model.locate(['facts', fact.name, 'links', link.attribute === undefined ? link.part : `${link.part}.${link.attribute}`]);
    const unknown: Filter = { kind: 'members', attribute, test: { values: [UNKNOWN] }, why: 'told' };
    const orphans = link.dimension.source === undefined ? 0 : await rowsWith(store, fact, [unknown]);
    if (orphans > 0)
      found.push({
        code: 'orphans',
        severity: 'warning',
        message: `${fact.name}: ${rowsText(orphans)} ${verb(orphans, 'has', 'have')} a ${link.column} that ${link.dimension.name} does not have`,
        count: orphans,
        examples: await examplesOf(store, fact, link.column, [unknown], bounds),
        wayOut: `Add them to ${link.dimension.source}; until then they are kept under ${UNKNOWN} (G8).`,
        place,
      });
    const blanks = await rowsWith(store, fact, [{ kind: 'members', attribute, test: { values: [NONE] }, why: 'told' }]);
    if (blanks > 0)
      found.push({
        code: 'blank-links',
        severity: 'hint',
        message: `${fact.name}: ${rowsText(blanks)} ${verb(blanks, 'has', 'have')} no ${link.column}, or one without a ${attribute.kind === 'attribute' ? attribute.attribute : ''}`,
        count: blanks,
        examples: [],
        wayOut: `They are kept under ${NONE} (G8).`,
        place,
      });
  }
  return found;
};

const FAR = 730;
/** Days further from today than this stand for something else, however few rows there are. */
const AGES = 200 * 366;
const FEW = 20;

/** Days that lie apart from all others: placeholders like 9999-12-31 and slips of the pen. */
const farDays = (counts: DayCounts, today: Day): DayCounts => {
  const total = counts.reduce((sum, [, rows]) => sum + rows, 0);
  const ages = counts.filter(([day]) => Math.abs(day - today) > AGES);
  if (total < FEW) return ages;
  const at = (share: number): Day => {
    let seen = 0;
    for (const [day, rows] of counts) {
      seen += rows;
      if (seen >= total * share) return day;
    }
    return counts[counts.length - 1][0];
  };
  const [low, high] = [at(0.02), at(0.98)];
  const margin = Math.max(FAR, (high - low) / 2);
  const outside = counts.filter(([day]) => day < low - margin || day > high + margin);
  const inside = counts.filter(([day]) => day >= low - margin && day <= high + margin).map(([day]) => day);
  // A long tail is none: what lies apart is apart from everything.
  const apart = outside.filter(([day]) => !inside.some((other) => Math.abs(other - day) < FAR / 2));
  return apart.length > 0 ? apart : ages;
};

/** The very days of stretches of days. */
const exactDays = async (
  store: Store,
  fact: Fact,
  role: string,
  stretches: DayCounts,
  { last }: Bounds,
  step: number,
): Promise<DayCounts> => {
  if (step === 1) return stretches;
  const found = await Promise.all(
    stretches.slice(0, EXAMPLES).map(([day]) => dayCounts(store, fact, role, { first: day, last: Math.min(day + step - 1, last) })),
  );
  return [...found.flatMap(({ counts }) => counts), ...stretches.slice(EXAMPLES)];
};

/** What is looked at of a fact's dates. */
interface Looked {
  readonly store: Store;
  readonly fact: Fact;
  readonly model: Model;
  readonly bounds: ReadonlyMap<string, Bounds | undefined>;
  readonly today: Day;
  readonly asOf: Day;
}

const placeOf = ({ fact, model }: Looked, role: string): Finding['place'] => model.locate(['facts', fact.name, 'dates', role]);
const primaryOf = ({ fact }: Looked): string => [...fact.roles.keys()][0];

const blankFindings = async (looked: Looked, { name, column }: Role): Promise<Finding[]> => {
  const { store, fact } = looked;
  const blanks = await rowsWith(store, fact, [{ kind: 'date', role: name, is: 'blank', why: 'told' }]);
  if (blanks === 0) return [];
  return [
    {
      code: 'blank-dates',
      severity: name === primaryOf(looked) ? 'warning' : 'hint',
      message: `${fact.name}: ${rowsText(blanks)} ${verb(blanks, 'has', 'have')} no ${name} date (${column})`,
      count: blanks,
      examples: [],
      wayOut: `On ${name} they are in no period, and every answer says so (D4).`,
      place: placeOf(looked, name),
    },
  ];
};

/** Days far from all others, and of the first role stretches without rows. */
const spreadFindings = async (looked: Looked, { name, column }: Role): Promise<Finding[]> => {
  const { store, fact, model, bounds, today } = looked;
  const found: Finding[] = [];
  const own = bounds.get(name);
  const { counts, step } = await dayCounts(store, fact, name, own);
  const apart = farDays(counts, today);
  const far = own ? await exactDays(store, fact, name, apart, own, step) : apart;
  if (far.length > 0)
    found.push({
      code: 'far-dates',
      severity: 'warning',
      message: `${fact.name}: ${name} dates lie far from all others (${column})`,
      count: far.reduce((sum, [, rows]) => sum + rows, 0),
      examples: far.slice(0, EXAMPLES).map(([day, rows]) => `${isoOf(day)} (${rowsText(rows)})`),
      wayOut: `If they stand for "none", say so: blank-dates: [${far
        .slice(0, EXAMPLES)
        .map(([day]) => isoOf(day))
        .join(', ')}].`,
      place: placeOf(looked, name),
    });
  if (name !== primaryOf(looked) || fact.grain !== 'day') return found;
  // Beside a far date, the days of all others are looked at by themselves.
  const near = counts.filter((day) => !apart.includes(day)).map(([day]) => day);
  const others =
    step === 1 || near.length === 0
      ? { counts, step }
      : await dayCounts(store, fact, name, { first: near[0], last: near[near.length - 1] + step - 1 });
  return others.step === 1 ? [...found, ...gapFindings(fact, name, others.counts, model)] : found;
};

/** Rows that an actual role dates after the default as-of date: no answer shows them (D5). */
const aheadFindings = async (looked: Looked, { name, horizon }: Role): Promise<Finding[]> => {
  const { store, fact, bounds, asOf } = looked;
  const last = bounds.get(name)?.last ?? asOf;
  if (horizon !== 'actual' || last <= asOf) return [];
  const { counts } = await dayCounts(store, fact, name, { first: asOf + 1, last });
  const rows = counts.reduce((sum, [, own]) => sum + own, 0);
  return [
    {
      code: 'after-as-of',
      severity: 'hint',
      message: `${fact.name}: ${rowsText(rows)} ${verb(rows, 'has', 'have')} a ${name} date after the as-of date, ${isoOf(asOf)}`,
      count: rows,
      examples: [],
      wayOut: `They are not seen. If ${name} dates lie ahead, set \`horizon: plan\` at the date (D5).`,
      place: placeOf(looked, name),
    },
  ];
};

/** Rows whose later dates come before the first. */
const reversedFindings = async (looked: Looked): Promise<Finding[]> => {
  const { store, fact, bounds } = looked;
  const found: Finding[] = [];
  const actual = [...fact.roles.values()].filter(({ horizon }) => horizon === 'actual');
  const first = fact.enters ?? actual[0]?.name;
  for (const { name } of actual) {
    if (first === undefined || name === first) continue;
    const reversed: Filter = { kind: 'order', from: first, until: name, is: 'reversed', why: 'told' };
    const rows = await rowsWith(store, fact, [reversed]);
    if (rows > 0)
      found.push({
        code: 'reversed-dates',
        severity: 'warning',
        message: `${fact.name}: ${rowsText(rows)} ${verb(rows, 'was', 'were')} ${name} before ${verb(rows, 'it was', 'they were')} ${first}`,
        count: rows,
        examples: await examplesOf(store, fact, fact.roles.get(name)?.column ?? '', [reversed], bounds.get(primaryOf(looked))),
        wayOut: 'Days between the two and levels leave such rows out and say so (M5, M6).',
        place: placeOf(looked, name),
      });
  }
  return found;
};

const textFindings = async (looked: Looked): Promise<Finding[]> => {
  const { store, fact } = looked;
  return (await store.textDates(fact)).map((role) => ({
    code: 'text-dates',
    severity: 'hint',
    message: `${fact.name}: ${fact.roles.get(role)?.column} holds its dates as text`,
    count: 1,
    examples: [],
    wayOut: 'A column of type date is read faster, and lets the database skip rows.',
    place: placeOf(looked, role),
  }));
};

const dateFindings = async (looked: Looked): Promise<Finding[]> => {
  const found: Finding[] = [];
  for (const role of looked.fact.roles.values())
    found.push(...(await blankFindings(looked, role)), ...(await spreadFindings(looked, role)), ...(await aheadFindings(looked, role)));
  return [...found, ...(await reversedFindings(looked)), ...(await textFindings(looked))];
};

const LEAST_GAP = 7;

/** Stretches without rows that are longer than what is usual for the fact. */
const gapFindings = (fact: Fact, role: string, counts: DayCounts, model: Model): Finding[] => {
  const gaps = counts.slice(1).map(([day], k) => ({ from: counts[k][0] + 1, to: day - 1, days: day - counts[k][0] - 1 }));
  if (gaps.length < 20) return [];
  const lengths = gaps
    .map(({ days }) => days)
    .filter((days) => days < FAR)
    .sort((a, b) => a - b);
  const usual = Math.max(LEAST_GAP, 3 * (lengths[Math.floor((lengths.length - 1) * 0.95)] ?? 0));
  const long = gaps.filter(({ days }) => days > usual && days < FAR);
  if (long.length === 0) return [];
  return [
    {
      code: 'long-gaps',
      severity: 'warning',
      message: `${fact.name}: no rows for longer than usual, ${long.length} ${long.length === 1 ? 'time' : 'times'}`,
      count: long.length,
      examples: long.slice(0, EXAMPLES).map(({ from, to, days }) => `${isoOf(from)} to ${isoOf(to)} (${days} days)`),
      wayOut: 'If rows are missing, load them; windows over these days are too low.',
      place: model.locate(['facts', fact.name, 'dates', role]),
    },
  ];
};

/** Amounts of whole periods: none twice, none missing between others. */
const coarseFindings = async (
  store: Store,
  fact: Fact,
  model: Model,
  { periodOf, labelOf, reader: read }: Pick<DataWorld, 'periodOf' | 'labelOf' | 'reader'>,
): Promise<Finding[]> => {
  const found: Finding[] = [];
  const [[role, { column }]] = fact.roles;
  const links = [...new Set(fact.links.map((link) => link.column))];
  const rows = await store.factRows(fact, [...new Set([column, ...links])]);
  const dayOf = await read(fact, role);
  const seen = new Map<string, number>();
  const combinations = new Map<string, Set<number>>();
  for (const row of rows) {
    const day = dayOf(row[column]);
    const period = day === undefined ? undefined : periodOf(fact, day);
    if (!period) continue;
    const combination = links.map((name) => String(row[name] ?? '')).join(', ');
    const key = `${period.label}${combination === '' ? '' : `, ${combination}`}`;
    seen.set(key, (seen.get(key) ?? 0) + 1);
    const own = combinations.get(combination) ?? new Set();
    own.add(period.index);
    combinations.set(combination, own);
  }
  const place = model.locate(['facts', fact.name]);
  const doubled = [...seen].filter(([, count]) => count > 1).sort(([a], [b]) => compareTexts(a, b));
  if (doubled.length > 0 && fact.recorded === undefined)
    found.push({
      code: 'duplicate-rows',
      severity: 'warning',
      message: `${fact.name}: ${doubled.length} ${doubled.length === 1 ? 'combination has' : 'combinations have'} more than one row in a ${fact.grain}; they are added up`,
      count: doubled.length,
      examples: doubled.slice(0, EXAMPLES).map(([key, count]) => `${key} (${count} rows)`),
      wayOut: 'If later rows replace earlier ones, name the date in `recorded` and the columns in `version-key` (G7).',
      place,
    });
  const missing: string[] = [];
  for (const [combination, own] of [...combinations].sort(([a], [b]) => compareTexts(a, b))) {
    const sorted = [...own].sort((a, b) => a - b);
    for (let index = sorted[0]; index < sorted[sorted.length - 1]; index++)
      if (!own.has(index)) missing.push(`${labelOf(fact, index)}${combination === '' ? '' : `, ${combination}`}`);
  }
  if (missing.length > 0)
    found.push({
      code: 'missing-periods',
      severity: 'warning',
      message: `${fact.name}: ${missing.length} ${missing.length === 1 ? `${fact.grain} has` : `${fact.grain}s have`} no row between others that have`,
      count: missing.length,
      examples: missing.slice(0, EXAMPLES),
      wayOut: 'Add the rows; what is missing counts as nothing.',
      place,
    });
  return found;
};

const EARLY = 14;

/** Facts of what happened that end long before the others. */
const earlyFindings = (model: Model, ends: ReadonlyMap<string, Day>): Finding[] => {
  const latest = Math.max(...ends.values());
  return [...ends].flatMap(([name, last]): Finding[] =>
    latest - last <= EARLY
      ? []
      : [
          {
            code: 'stops-early',
            severity: 'warning',
            message: `${name} ends on ${isoOf(last)}, ${latest - last} days before the latest fact`,
            count: latest - last,
            examples: [],
            wayOut: 'Load what is missing, or ask as of an earlier day: later windows see nothing of it.',
            place: model.locate(['facts', name]),
          },
        ],
  );
};

export interface DataWorld {
  readonly today: Day;
  /** The default as-of date. */
  readonly asOf: Day;
  readonly model: Model;
  readonly store: Store;
  readonly bounds: (fact: Fact) => Promise<ReadonlyMap<string, Bounds | undefined>>;
  /** The period of a fact's grain that a day lies in. */
  readonly periodOf: (fact: Fact, day: Day) => { readonly index: number; readonly label: string } | undefined;
  /** What a period of a fact's grain is called. */
  readonly labelOf: (fact: Fact, index: number) => string;
  readonly reader: (fact: Fact, role: string) => Promise<(value: unknown) => Day | undefined>;
}

/** Looks at the data of every fact: links, dates, gaps, periods. Counts are the engine's; few rows are read. */
export const dataFindings = async ({ model, store, bounds, periodOf, labelOf, reader, today, asOf }: DataWorld): Promise<Finding[]> => {
  const found: Finding[] = [];
  const ends = new Map<string, Day>();
  for (const note of store.notes)
    found.push({
      code: 'data-note',
      severity: 'warning',
      message: noteText(note, wordsOf('en')),
      count: note.count,
      examples: [],
      wayOut:
        note.code === 'unpinned-state'
          ? 'Keep the table in a catalog with snapshots, or ask when nobody writes.'
          : store.unreadable?.has(model.facts.get(note.fact)?.source ?? '')
            ? 'Give the role that connects the right to read it, or take it out of the model.'
            : 'Correct the values, or list what stands for "none" in blank-dates.',
    });
  for (const fact of model.facts.values()) {
    if (store.unreadable?.has(fact.source)) continue;
    const own = await bounds(fact);
    const [primary] = fact.roles.keys();
    const last = own.get(primary)?.last;
    if (fact.horizon === 'actual' && last !== undefined) ends.set(fact.name, last);
    found.push(
      ...(await linkFindings(store, fact, model, own.get(primary))),
      ...(await dateFindings({ store, fact, model, bounds: own, today, asOf })),
    );
    if (fact.grain !== 'day') found.push(...(await coarseFindings(store, fact, model, { periodOf, labelOf, reader })));
  }
  if (ends.size > 1) found.push(...earlyFindings(model, ends));
  return found;
};
