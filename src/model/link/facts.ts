// Links facts: their dates, computed columns, links to dimensions and bands.
import { datePattern, isNumberFormat } from '../../calendar/dates.ts';
import { parseIsoDay } from '../../calendar/day.ts';
import { suggest } from '../../errors.ts';
import { valueNamesIn } from '../../language/inner.ts';
import { parseReading } from '../../language/parse.ts';
import type { Expression } from '../../language/syntax.ts';
import { ratesIn } from '../columns.ts';
import type { Faults } from '../faults.ts';
import type { Path } from '../keys.ts';
import { type Band, type Dimension, type Fact, type Link, type Model, NOW, type Role } from '../model.ts';
import type { FactInput } from '../schema.ts';

/** A date format that gives no day is told where it is written, whatever the column holds. */
const checkedDateFormat = (format: string | undefined, path: Path, faults: Faults): string | undefined => {
  if (format !== undefined && !isNumberFormat(format)) faults.attempt(path, () => datePattern(format));
  return format;
};

const linkRoles = (input: FactInput, path: Path, faults: Faults): Map<string, Role> => {
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
  return roles;
};

/** Rates without a date of their own are taken by the fact's first (G10). */
const datedRates = (node: Expression, first: string | undefined): Expression => {
  const dated = (part: Expression): Expression => datedRates(part, first);
  switch (node.kind) {
    case 'rate':
      return { ...node, role: node.role ?? first };
    case 'binary':
      return { ...node, left: dated(node.left), right: dated(node.right) };
    case 'negate':
      return { ...node, of: dated(node.of) };
    case 'call':
      return { ...node, args: node.args.map(dated) };
    default:
      return node;
  }
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
    for (const other of valueNamesIn(columns.get(column) as Expression)) if (columns.has(other)) visit(other, [...way, column]);
    settled.add(column);
  };
  for (const column of columns.keys()) visit(column, []);
};

const linkColumns = (
  name: string,
  input: FactInput,
  { rates }: FactSurroundings,
  roles: ReadonlyMap<string, Role>,
  path: Path,
  faults: Faults,
): Map<string, Expression> => {
  const columns = new Map<string, Expression>();
  for (const [column, text] of Object.entries(input.columns ?? {})) {
    const expression = faults.attempt([...path, 'columns', column], () => parseReading(text, 'column', new Set(rates.keys())));
    if (!expression) continue;
    columns.set(column, datedRates(expression, roles.keys().next().value));
    for (const { role } of ratesIn(expression))
      if (role !== undefined && !roles.has(role))
        faults.add(
          [...path, 'columns', column],
          'unknown-role',
          `fact "${name}" has no date "${role}" to take a rate by`,
          suggest(role, roles.keys(), 'dates'),
        );
  }
  checkColumns(name, columns, faults);
  return columns;
};

/** What facts are linked in: what has been linked before them, and the parts that dimensions take, which they add to. */
export interface FactSurroundings extends Pick<Model, 'sources' | 'units' | 'rates'> {
  readonly dimensions: ReadonlyMap<string, Dimension>;
  readonly parts: Map<string, Dimension>;
}

/** The role by whose date rows take their version of a dimension, or `now` (G9); undefined where there are none. */
const versionRole = (
  at: string | undefined,
  { valid, name }: Dimension,
  roles: ReadonlyMap<string, Role>,
  path: Path,
  faults: Faults,
): string | undefined => {
  if (!valid) {
    if (at !== undefined)
      faults.add(
        [...path, 'at'],
        'bad-link',
        `dimension "${name}" has no versions to take at ${at}`,
        'Give it `valid`, or leave `at` out (G9).',
      );
    return undefined;
  }
  const role = at ?? roles.keys().next().value;
  if (role !== undefined && role !== NOW && !roles.has(role))
    faults.add([...path, 'at'], 'unknown-role', `there is no date "${role}"`, suggest(role, [...roles.keys(), NOW], 'dates'));
  return role;
};

const linkLinks = (input: FactInput, model: FactSurroundings, roles: ReadonlyMap<string, Role>, path: Path, faults: Faults): Link[] => {
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
    const column = typeof link === 'string' ? link : link.column;
    // What links to an attribute has its text, whichever version that is of.
    const held =
      attribute === undefined ? versionRole(typeof link === 'string' ? undefined : link.at, dimension, roles, at, faults) : undefined;
    links.push({ part, dimension, attribute, column, at: held });
  }
  return links;
};

const linkBands = (input: FactInput, path: Path, faults: Faults): Map<string, Band> => {
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
  return bands;
};

/** What must be there, or go together, in a fact. */
const checkFact = (name: string, input: FactInput, roles: ReadonlyMap<string, Role>, model: FactSurroundings, faults: Faults): void => {
  const path = ['facts', name];
  const { sources, units } = model;
  const { source, grain = 'day', enters } = input;
  if (!sources.has(source))
    faults.add([...path, 'source'], 'unknown-source', `there is no source "${source}"`, suggest(source, sources.keys(), 'sources'));
  if (!units.includes(grain)) faults.add([...path, 'grain'], 'unknown-unit', `there is no unit "${grain}"`, suggest(grain, units, 'units'));
  if (roles.size === 0)
    faults.add(
      [...path, 'dates'],
      'missing-date',
      `fact "${name}" has no date`,
      'Every fact needs at least one, for example `ordered: ordered_on`.',
    );
  if (enters !== undefined && !roles.has(enters))
    faults.add([...path, 'enters'], 'unknown-role', `fact "${name}" has no date "${enters}"`, suggest(enters, roles.keys(), 'dates'));
};

export const linkFact = (name: string, input: FactInput, model: FactSurroundings, faults: Faults): Fact => {
  const path = ['facts', name];
  const roles = linkRoles(input, path, faults);
  checkFact(name, input, roles, model, faults);
  const begins = input.begins === undefined ? undefined : parseIsoDay(input.begins);
  if (input.begins !== undefined && begins === undefined)
    faults.add([...path, 'begins'], 'bad-date', `"${input.begins}" is not a date`, 'Write YYYY-MM-DD.');
  const columns = linkColumns(name, input, model, roles, path, faults);
  const links = linkLinks(input, model, roles, path, faults);
  const bands = linkBands(input, path, faults);
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
    grain: input.grain ?? 'day',
    horizon: input.horizon ?? 'actual',
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
