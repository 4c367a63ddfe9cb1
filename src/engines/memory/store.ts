import { once } from '../../basics/kept-promises.ts';
import { compareTexts } from '../../basics/text.ts';
import { distinctTuples } from '../../basics/tuples.ts';
import { type Day, FIRST_DAY, isoOf, LAST_DAY, NO_DAY } from '../../calendar/day.ts';
import { DurchblickError } from '../../errors.ts';
import type { Files } from '../../files/files.ts';
import { type AttributeRef, NONE, UNKNOWN } from '../../model/attributes.ts';
import type { Fact, Model } from '../../model/model.ts';
import { passes } from '../../plan/members.ts';
import type { Bounds, RowSet } from '../../plan/request.ts';
import type { OpenOptions, Store } from '../engine.ts';
import { hiddenFault } from '../shared/faults.ts';
import { hidingFilters } from '../shared/hiding.ts';
import { type Table, type TableInput, tablesOf } from '../shared/tables.ts';
import { shownCell } from '../shared/values.ts';
import { cubes } from './cubes.ts';
import { type DimensionData, dimensionData } from './facts.ts';
import { located, type Opened, openFact, seenRows } from './open-fact.ts';
import { scanningOf } from './scanning.ts';

/** Opens a model over tables and files in memory. */
export const openStore = async (
  model: Model,
  given: Readonly<Record<string, TableInput>>,
  files: Files | undefined,
  options: OpenOptions,
): Promise<Store> => {
  const table = tablesOf(model, given, files);
  const dimensions = new Map<string, DimensionData>();
  const hidden = options.hiding.length > 0;
  const fixed = options.hiding;
  for (const dimension of model.dimensions.values()) {
    if (dimension.source === undefined) continue;
    const rows = await table(dimension.source);
    dimensions.set(
      dimension.name,
      located(model, ['dimensions', dimension.name], () => dimensionData(dimension, rows, model.timeZone, hidden)),
    );
  }
  const facts = new Map<string, Opened>();
  let most = 0;
  for (const fact of model.facts.values()) most = Math.max(most, (await table(fact.source)).rows);
  const { lists, scan, close } = await scanningOf(most);
  for (const fact of model.facts.values()) {
    const rows = seenRows(fact, await table(fact.source), model, dimensions, options.fixed.get(fact.name) ?? []);
    facts.set(fact.name, openFact(fact, rows, model, dimensions, lists));
  }
  const opened = (fact: Fact): Opened => facts.get(fact.name) as Opened;
  /** Facts with the rows that fixed filters hide, where shares of them are asked for (G6). */
  const whole = new Map<string, Promise<Opened>>();
  const unfiltered = (fact: Fact): Opened | Promise<Opened> =>
    options.fixed.get(fact.name)?.length
      ? once(whole, fact.name, async () => {
          const rows = await table(fact.source);
          try {
            return openFact(fact, rows, model, dimensions, lists);
          } catch (error) {
            throw hiddenFault(rows.name, error);
          }
        })
      : opened(fact);
  const asked = ({ fact, hidden: rows }: RowSet): Opened | Promise<Opened> => (rows === 'counted' ? unfiltered(fact) : opened(fact));

  const bounds: Store['bounds'] = async (fact, knownBy, rows) => {
    const { data, mask } = await (rows === 'all' ? unfiltered(fact) : opened(fact));
    const seen = mask([], knownBy);
    const result = new Map<string, Bounds | undefined>();
    for (const [role, column] of data.roles) {
      let { first, last } = column;
      if (seen) {
        [first, last] = [LAST_DAY + 1, FIRST_DAY - 1];
        column.days.forEach((day, i) => {
          if (seen[i] === 0 || day === NO_DAY) return;
          if (day < first) first = day;
          if (day > last) last = day;
        });
      }
      result.set(role, first <= last ? { first, last } : undefined);
    }
    return result;
  };

  const members = async (attribute: AttributeRef): Promise<readonly string[]> => {
    const seen = new Set<string>();
    if (attribute.kind === 'attribute') {
      const dimension = dimensions.get(attribute.dimension.name);
      if (dimension) {
        const filters = hidingFilters(fixed, attribute.part);
        const tested = filters.map(({ attribute: own }) => dimension.texts(own.kind === 'attribute' ? own.attribute : ''));
        return dimension.members(attribute.attribute, (row) => filters.every(({ test }, k) => passes(tested[k][row], test)));
      }
      for (const { data } of facts.values())
        if (data.fact.links.some((link) => link.part === attribute.part)) for (const text of data.members(attribute).texts) seen.add(text);
      return [...seen].filter((text) => text !== NONE && text !== UNKNOWN).sort(compareTexts);
    }
    for (const fact of model.facts.values()) for (const label of fact.bands.get(attribute.band)?.labels ?? []) seen.add(label);
    return [...seen];
  };
  const rowsOf = (found: Table, columns: readonly string[]): readonly Record<string, unknown>[] => {
    const lists = columns.map((column) => {
      const values = found.column(column);
      if (found.kind(column) === 'date') return Array.from(values, (day) => (day === NO_DAY ? null : isoOf(day as Day)));
      return values instanceof Int32Array ? Array.from(values, (value) => (value === NO_DAY ? null : value)) : values;
    });
    return Array.from({ length: found.rows }, (_, i) => Object.fromEntries(columns.map((column, k) => [column, lists[k][i]])));
  };

  return {
    engine: 'memory',
    scans: 'together',
    notes: [...facts.values()].flatMap(({ data }) => data.notes),
    kind: async (source, column) => (await table(source)).kind(column),
    rows: async (name, columns) => rowsOf(await table(name), columns),
    factRows: async (fact, columns) => rowsOf(opened(fact).data.table, columns),
    holidays: async (file, timeZone, first, last) =>
      (await import('../shared/sources.ts')).holidaysIn(files, model, file, timeZone, first, last),
    bounds,
    members,
    combinations: async (dimension, attributes) => {
      const data = dimensions.get(dimension.name);
      if (!data) return [];
      const lists = attributes.map((attribute) => data.texts(attribute));
      return distinctTuples(Array.from({ length: data.rows }, (_, row) => lists.map((list) => list[row])));
    },
    textDates: async () => [],
    lateRoles: async (fact) => {
      const { data } = opened(fact);
      const entered = data.roles.get(fact.enters ?? '')?.days;
      if (!entered) return [];
      return [...data.roles.entries()]
        .filter(([role, { days }]) => role !== fact.enters && days.some((day, i) => day !== NO_DAY && entered[i] > day))
        .map(([role]) => role);
    },
    cubes: async (requests, signal) => {
      stopIfAborted(signal);
      const tasks = await Promise.all(requests.map(async (request) => ({ opened: await asked(request), request })));
      return cubes(tasks, scan);
    },
    events: async (request, signal) => {
      stopIfAborted(signal);
      const { events } = await import('./seldom.ts');
      return events(await asked(request), request, scan);
    },
    sample: async ({ fact, role, filters, knownBy, first, last, openAt, limit }) => {
      const { data, mask } = opened(fact);
      const seen = mask(filters, knownBy);
      const days = data.roles.get(role)?.days as Int32Array;
      const until = openAt && data.roles.get(openAt.until)?.days;
      const gone = (row: number): boolean => {
        if (!openAt || !until) return false;
        const day = until[row];
        return day !== NO_DAY && day <= openAt.day && day <= openAt.asOf;
      };
      const found: number[] = [];
      for (let row = 0; row < days.length; row++)
        if (days[row] !== NO_DAY && days[row] >= first && days[row] <= last && seen?.[row] !== 0 && !gone(row)) found.push(row);
      const shown = found.sort((a, b) => days[a] - days[b] || a - b).slice(0, limit);
      const { table, keyText } = data;
      const cell = (name: string, row: number): string | number | null => {
        const value = table.cell(name, row);
        return table.kind(name) === 'date' ? keyText(name)(value ?? NO_DAY) || null : shownCell(value);
      };
      return { columns: table.columnNames, first: shown.map((row) => table.columnNames.map((name) => cell(name, row))) };
    },
    close: async () => {
      close();
      facts.clear();
      dimensions.clear();
    },
  };
};

const stopIfAborted = (signal: { readonly aborted: boolean } | undefined): void => {
  if (signal?.aborted) throw new DurchblickError('aborted', 'the question was aborted', { kind: 'engine' });
};
