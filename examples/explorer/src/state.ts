import type { Question } from 'durchblick';
import type { OpenedModel } from './engine/protocol.ts';

/** Everything that the page shows, as plain data: what is in the URL. */
export interface View {
  readonly show: readonly string[];
  /** A unit, several windows with commas, or `` for the range as a whole. */
  readonly by: string;
  readonly per: readonly string[];
  readonly range: string;
  /** `` for the model's own. */
  readonly asOf: string;
  readonly where: Readonly<Record<string, readonly string[]>>;
  readonly totals: boolean;
  readonly gaps: 'show' | 'hide';
  /** What a named question asks beside what the page has controls for: order, limit, conditions, other filters. */
  readonly more: More;
  /** Row and reading that are explained. */
  readonly cell: Cell | undefined;
}

export type More = Omit<Question, 'show' | 'by' | 'per' | 'range' | 'asOf' | 'gaps'>;

export interface Cell {
  readonly period: string;
  readonly members: readonly string[];
  readonly reading: string;
}

const PER_YEAR = 'ytd';

/** What the page opens with: the first measure by month, this year, against the year before. */
export const firstView = (model: OpenedModel): View => {
  const [measure] = model.measures;
  return {
    show: [measure, `${measure} vs year-earlier`, `${measure} vs year-earlier as change`],
    by: 'month',
    per: [],
    range: PER_YEAR,
    asOf: '',
    where: {},
    totals: false,
    gaps: 'show',
    more: {},
    cell: undefined,
  };
};

const listOf = (value: unknown): readonly string[] | undefined => {
  const list = Array.isArray(value) ? value : [value];
  return list.every((entry) => typeof entry !== 'object') ? list.map(String) : undefined;
};

/** A question of the model as the page shows it; what it has no control for stays as it is. */
export const viewOf = ({ show, by, per = [], range = '', asOf = '', where = {}, gaps = 'show', totals, ...rest }: Question): View => {
  const tests = Object.entries(where).map(([name, test]) => [name, test, listOf(test)] as const);
  const others = tests.filter(([, , list]) => list === undefined);
  return {
    show: show.map((column) => (typeof column === 'string' ? column : column.is)),
    by: [by ?? []].flat().join(','),
    per,
    range,
    asOf,
    where: Object.fromEntries(tests.flatMap(([name, , list]) => (list ? [[name, list]] : []))),
    totals: totals === true,
    gaps,
    more: {
      ...rest,
      ...(totals === undefined || typeof totals === 'boolean' ? {} : { totals }),
      ...(others.length > 0 ? { where: Object.fromEntries(others.map(([name, test]) => [name, test])) } : {}),
    },
    cell: undefined,
  };
};

/** What a view asks beside its controls, in words. */
export const moreWords = (more: More): string =>
  Object.entries(more)
    .map(
      ([key, value]) =>
        `${key} ${
          typeof value === 'string'
            ? value
            : JSON.stringify(value)
                .replace(/["[\]{}]/g, '')
                .replaceAll(',', ', ')
        }`,
    )
    .join('; ');

/** The question of a view, without the readings that are not there yet. */
export const questionOf = (view: View): Question => {
  const windows = view.by.split(',').filter((name) => name !== '');
  const { where: tests, ...more } = view.more;
  const where = [...Object.entries(tests ?? {}), ...Object.entries(view.where).filter(([, members]) => members.length > 0)];
  return {
    show: view.show.map((text) => text.trim()).filter((text) => text !== ''),
    ...(windows.length === 0 ? {} : { by: windows.length === 1 ? windows[0] : windows }),
    ...(view.per.length > 0 ? { per: [...view.per] } : {}),
    ...(view.range === '' ? {} : { range: view.range }),
    ...(view.asOf === '' ? {} : { asOf: view.asOf }),
    ...(where.length > 0 ? { where: Object.fromEntries(where) as NonNullable<Question['where']> } : {}),
    ...(view.gaps === 'hide' ? { gaps: 'hide' as const } : {}),
    ...more,
    ...(view.totals ? { totals: true } : {}),
  };
};

/** Windows lie at the as-of date and have no range of their own. */
export const isByWindows = (view: View, model: OpenedModel): boolean => {
  const [first] = view.by.split(',');
  return first !== '' && !model.units.includes(first) && model.windows.includes(first);
};

export const toSearch = (view: View): string => {
  const search = new URLSearchParams();
  for (const text of view.show) search.append('show', text);
  if (view.by !== '') search.set('by', view.by);
  for (const name of view.per) search.append('per', name);
  if (view.range !== '') search.set('range', view.range);
  if (view.asOf !== '') search.set('as-of', view.asOf);
  for (const [name, members] of Object.entries(view.where)) search.append('where', JSON.stringify([name, ...members]));
  if (view.totals) search.set('totals', 'yes');
  if (view.gaps === 'hide') search.set('gaps', 'hide');
  if (Object.keys(view.more).length > 0) search.set('more', JSON.stringify(view.more));
  if (view.cell) search.set('cell', JSON.stringify([view.cell.reading, view.cell.period, ...view.cell.members]));
  return `?${search}`;
};

const texts = (json: string | null): string[] | undefined => {
  try {
    const list: unknown = JSON.parse(json ?? '');
    return Array.isArray(list) && list.every((text) => typeof text === 'string') ? list : undefined;
  } catch {
    return undefined;
  }
};

/** A map in JSON, or nothing where it is none; what is in it is checked when it is asked. */
const mapOf = (json: string | null): More => {
  try {
    const value: unknown = JSON.parse(json ?? '{}');
    return typeof value === 'object' && value !== null && !Array.isArray(value) ? (value as More) : {};
  } catch {
    return {};
  }
};

/** Reads a URL; whatever is no view is left as it is in the first one. */
export const fromSearch = (text: string, model: OpenedModel): View => {
  const search = new URLSearchParams(text);
  const first = firstView(model);
  if (!search.has('show')) return first;
  const cell = texts(search.get('cell'));
  const known = new Set(model.attributes.map(({ name }) => name));
  return {
    show: search.getAll('show').slice(0, 12),
    by: search.get('by') ?? '',
    per: search.getAll('per').filter((name) => known.has(name)),
    range: search.get('range') ?? '',
    asOf: search.get('as-of') ?? '',
    where: Object.fromEntries(
      search.getAll('where').flatMap((json) => {
        const [name, ...members] = texts(json) ?? [];
        return name !== undefined && known.has(name) ? [[name, members]] : [];
      }),
    ),
    totals: search.get('totals') === 'yes',
    gaps: search.get('gaps') === 'hide' ? 'hide' : 'show',
    more: mapOf(search.get('more')),
    cell: cell && cell.length >= 2 ? { reading: cell[0], period: cell[1], members: cell.slice(2) } : undefined,
  };
};

const quoted = (text: string): string => (/^[A-Za-z0-9_./:,=-]+$/.test(text) ? text : `'${text.replaceAll("'", `'\\''`)}'`);
const listed = (member: string): string => (/[",]/.test(member) ? `"${member.replaceAll('"', '""')}"` : member);

/** The question as a command line. */
export const commandOf = (view: View, model: string): string => {
  const { show, by, per, range, asOf, where, totals, gaps, order, keep, limit, within, rest, knownBy, locale } = questionOf(view);
  const options: string[] = [];
  const add = (name: string, value: string | undefined): void => {
    if (value !== undefined && value !== '') options.push(`--${name} ${quoted(value)}`);
  };
  add('by', [by ?? []].flat().join(','));
  add('per', per?.join(','));
  add('range', range);
  add('as-of', asOf);
  for (const [name, test] of Object.entries(where ?? {})) {
    const members = listOf(test);
    const { not, from = '', to = '' } = (members ? {} : test) as { not?: unknown; from?: unknown; to?: unknown };
    if (members) add('where', `${name}=${members.map(listed).join(',')}`);
    else if (not === undefined) add('where', `${name}=${from}..${to}`);
    else add('where', `${name}!=${(listOf(not) ?? []).map(listed).join(',')}`);
  }
  add('known-by', knownBy);
  add('order', [order ?? []].flat().join(','));
  for (const condition of [keep ?? []].flat()) add('keep', condition);
  add('limit', limit === undefined ? undefined : String(limit));
  add('within', within);
  if (rest) options.push('--rest');
  add('locale', locale);
  if (totals) options.push(totals === true ? '--totals' : `--totals ${[totals].flat().join(',')}`);
  if (gaps) options.push('--gaps hide');
  return ['npx durchblick ask', quoted(model), ...show.map((text) => quoted(String(text))), ...options].join(' ');
};
